import TextField from '@mui/material/TextField';
import { useDeskState } from '../desk/context';
import { mono } from '../theme';
import { ClashChoice } from './ClashChoice';
import { Options } from './controls';
import styles from './typed.module.css';
import { useTyped, type Typing } from './useTyped';

interface Props {
  path: string;
  label: string;
  value: string;
  /** The choices, for a field that is not free text. */
  choices?: readonly (readonly [value: string, words: string])[];
  autoFocus?: boolean;
  /** Whether it takes two columns among others. */
  wide?: boolean;
  /** What can be typed, shown while the field is empty. */
  hint?: string;
  onSaved?: () => void;
}

/** One value of the plan with its label, typed in place. */
export function TypedField(props: Props) {
  const { path, label, value, choices, autoFocus = false, wide = false, hint, onSaved } = props;
  const { mayPlan } = useDeskState();
  const typed = useTyped(path, value, onSaved);
  return (
    <div data-wide={wide}>
      <TextField
        fullWidth
        label={label}
        value={typed.shown}
        disabled={!mayPlan}
        select={choices !== undefined}
        autoFocus={autoFocus}
        {...(hint ? { placeholder: hint } : {})}
        error={typed.wrong}
        helperText={typed.message || undefined}
        {...(choices
          ? { onChange: (event: { target: { value: string } }) => typed.choose(event.target.value) }
          : typed.typing)}
        slotProps={{
          select: { native: true },
          inputLabel: { shrink: true },
          htmlInput: {
            'aria-label': label,
            'data-field': path,
            spellCheck: false,
            maxLength: 1000,
            style: {
              fontFamily: choices ? undefined : mono,
              fontSize: 13,
              padding: choices ? '6px 28px 6px 10px' : '6px 10px',
            },
          },
          formHelperText: { role: typed.wrong ? 'alert' : 'status', sx: { mx: 0.5, my: 0.25 } },
        }}
      >
        {choices && <Options of={choices} />}
      </TextField>
      <Clash typed={typed} />
    </div>
  );
}

/** The same as a cell of a table: plain until it is pointed at or typed in, and light enough for hundreds. */
export function TypedCell({ path, label, value, choices }: Omit<Props, 'autoFocus' | 'hint' | 'onSaved'>) {
  const { mayPlan } = useDeskState();
  const typed = useTyped(path, value);
  const common = { 'aria-label': label, 'data-field': path, disabled: !mayPlan };
  if (choices) {
    return (
      <select
        {...common}
        className={`wide ${styles.cell}`}
        value={typed.shown}
        onChange={(event) => typed.choose(event.target.value)}
      >
        <Options of={choices} />
      </select>
    );
  }
  return (
    <>
      <input
        {...common}
        {...typed.typing}
        className={`mono ${styles.cell}`}
        value={typed.shown}
        aria-invalid={typed.wrong}
        spellCheck={false}
        maxLength={1000}
      />
      {typed.message && (
        <div
          role={typed.wrong ? 'alert' : 'status'}
          className={`quiet small ${styles.message}`}
          data-wrong={typed.wrong}
        >
          {typed.message}
        </div>
      )}
      <Clash typed={typed} />
    </>
  );
}

function Clash({ typed }: { typed: Typing }) {
  if (!typed.clashing) return null;
  const choose = (mine: boolean) => (mine ? typed.keepMine() : typed.takeTheirs());
  return <ClashChoice failure={typed.clashing.failure} onChoose={choose} />;
}
