import TextField from '@mui/material/TextField';

/** What can be chosen: a value, and what it is called; a lone text is both. */
export type Choices = readonly (string | readonly [value: string, words: string])[];

interface Props {
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
export function Choice({ label, value, choices, onChoose, disabled, autoFocus, field }: Props) {
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
      {options(choices)}
    </TextField>
  );
}

/** Members of the plan as choices. */
export function labelsOf(members: Record<string, { label: string }>): [key: string, label: string][] {
  return Object.entries(members).map(([key, { label }]) => [key, label]);
}

function options(choices: Choices) {
  return choices
    .map((choice) => (typeof choice === 'string' ? ([choice, choice] as const) : choice))
    .map(([value, words]) => (
      <option key={value} value={value}>
        {words}
      </option>
    ));
}
