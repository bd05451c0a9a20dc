import Button from '@mui/material/Button';
import Checkbox from '@mui/material/Checkbox';
import MuiLink from '@mui/material/Link';
import NativeSelect from '@mui/material/NativeSelect';
import OutlinedInput from '@mui/material/OutlinedInput';
import TextField from '@mui/material/TextField';
import type { ComponentProps } from 'react';

/** Whether a control takes all the room there is. */
interface Wide {
  wide?: boolean;
}

/** One line to type in. What is said of an input goes to the input. */
export function Line({ disabled, wide, ...input }: ComponentProps<'input'> & Wide) {
  return (
    <OutlinedInput
      size="small"
      fullWidth={wide ?? false}
      disabled={disabled ?? false}
      error={input['aria-invalid'] === true}
      inputProps={input}
    />
  );
}

/** Several lines to type in. */
export function Lines({ disabled, ...area }: ComponentProps<'textarea'>) {
  return (
    <OutlinedInput
      size="small"
      fullWidth
      disabled={disabled ?? false}
      inputComponent="textarea"
      inputProps={area}
    />
  );
}

/** One of few values, in a box of its own. */
export function Select({ disabled, wide, children, ...select }: ComponentProps<'select'> & Wide) {
  return (
    <NativeSelect
      fullWidth={wide ?? false}
      disabled={disabled ?? false}
      input={<OutlinedInput size="small" />}
      inputProps={select as ComponentProps<typeof NativeSelect>['inputProps']}
    >
      {children}
    </NativeSelect>
  );
}

const INLINE = {
  font: 'inherit',
  '& select': { font: 'inherit', color: 'primary.main', height: 'auto', py: 0 },
};

/** One of few values as a word of a sentence. */
export function SelectInline({ disabled, children, ...select }: ComponentProps<'select'>) {
  return (
    <NativeSelect
      sx={INLINE}
      disabled={disabled ?? false}
      inputProps={select as ComponentProps<typeof NativeSelect>['inputProps']}
    >
      {children}
    </NativeSelect>
  );
}

/** What can be chosen: values, and what each is called. */
export type Choices = readonly (readonly [value: string, words: string])[];

/** The options of a choice. */
export function Options({ of }: { of: Choices }) {
  return of.map(([value, words]) => (
    <option key={value} value={value}>
      {words}
    </option>
  ));
}

/** Members of the plan as choices. */
export function labelsOf(members: Record<string, { label: string }>): [key: string, label: string][] {
  return Object.entries(members).map(([key, { label }]) => [key, label]);
}

interface ChoiceProps {
  label: string;
  value: string;
  choices: Choices;
  onChoose: (value: string) => void;
  disabled?: boolean;
  autoFocus?: boolean;
  /** The place in the plan, where it has one. */
  field?: string;
}

/** One of few values, as a field with its label. */
export function Choice({ label, value, choices, onChoose, disabled, autoFocus, field }: ChoiceProps) {
  return (
    <TextField
      select
      fullWidth
      label={label}
      value={value}
      disabled={disabled ?? false}
      autoFocus={autoFocus ?? false}
      onChange={(event) => onChoose(event.target.value)}
      slotProps={{
        select: { native: true },
        inputLabel: { shrink: true },
        htmlInput: {
          'aria-label': label,
          'data-field': field,
          style: { fontSize: 13, padding: '6px 28px 6px 10px' },
        },
      }}
    >
      <Options of={choices} />
    </TextField>
  );
}

interface TickProps {
  checked: boolean;
  onChange: ComponentProps<typeof Checkbox>['onChange'];
  disabled?: boolean;
  'aria-label'?: string;
}

/** Yes or no. */
export function Tick({ checked, onChange, disabled, 'aria-label': label }: TickProps) {
  return (
    <Checkbox
      size="small"
      checked={checked}
      disabled={disabled ?? false}
      {...(onChange ? { onChange } : {})}
      {...(label ? { slotProps: { input: { 'aria-label': label } } } : {})}
    />
  );
}

/** An action that reads as part of the text around it. */
export function LinkButton(props: ComponentProps<'button'>) {
  return <MuiLink component="button" type="button" {...props} />;
}

/**
 * A button that says what it waits for, as long as it waits: by its title, and to who does not see it. It stays where
 * keys lead, and does nothing.
 */
export function Press({ waits, ...button }: ComponentProps<typeof Button> & { waits: string }) {
  if (!waits) return <Button {...button} />;
  return (
    <Button
      {...button}
      aria-disabled
      aria-description={waits}
      title={waits}
      sx={[{ opacity: 0.5, cursor: 'not-allowed' }, ...(Array.isArray(button.sx) ? button.sx : [button.sx])]}
      onClick={(event) => event.preventDefault()}
    />
  );
}
