import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useDeskState } from '../desk/context';
import { mono } from '../theme';
import styles from './typed.module.css';
import { useTyped, type Typing } from './useTyped';

interface Props {
  path: string;
  label: string;
  value: string;
  /** The choices, for a field that is not free text. */
  choices?: readonly (readonly [value: string, words: string])[];
  autoFocus?: boolean;
  onSaved?: () => void;
}

/** One value of the plan with its label, typed in place. */
export function TypedField({ path, label, value, choices, autoFocus = false, onSaved }: Props) {
  const { mayPlan } = useDeskState();
  const typed = useTyped(path, value, onSaved);
  return (
    <div>
      <TextField
        fullWidth
        label={label}
        value={typed.shown}
        disabled={!mayPlan}
        select={choices !== undefined}
        autoFocus={autoFocus}
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
        {choices?.map(([choice, words]) => (
          <option key={choice} value={choice}>
            {words}
          </option>
        ))}
      </TextField>
      <ClashChoice typed={typed} />
    </div>
  );
}

/** The same as a cell of a table: plain until it is pointed at or typed in, and light enough for hundreds. */
export function TypedCell({ path, label, value, choices }: Omit<Props, 'autoFocus' | 'onSaved'>) {
  const { mayPlan } = useDeskState();
  const typed = useTyped(path, value);
  const common = { 'aria-label': label, 'data-field': path, disabled: !mayPlan };
  if (choices) {
    return (
      <select
        {...common}
        className={styles.cell}
        value={typed.shown}
        onChange={(event) => typed.choose(event.target.value)}
      >
        {choices.map(([choice, words]) => (
          <option key={choice} value={choice}>
            {words}
          </option>
        ))}
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
        <div role={typed.wrong ? 'alert' : 'status'} className={styles.message} data-wrong={typed.wrong}>
          {typed.message}
        </div>
      )}
      <ClashChoice typed={typed} />
    </>
  );
}

function ClashChoice({ typed }: { typed: Typing }) {
  if (!typed.clashing) return null;
  const { clash, failure } = typed.clashing;
  return (
    <div role="alertdialog" aria-label="Changed by somebody else" className={styles.clash}>
      {failure.by} changed this from <Value of={clash.base} /> to <Value of={clash.theirs} /> while you wrote{' '}
      <Value of={clash.yours} />.
      <div style={{ display: 'flex', gap: 8, marginTop: 4 }}>
        <Button variant="outlined" onClick={typed.takeTheirs}>
          Take theirs
        </Button>
        <Button variant="outlined" onClick={typed.keepMine}>
          Keep mine
        </Button>
      </div>
    </div>
  );
}

function Value({ of }: { of: unknown }) {
  const text = of === null || of === '' ? 'empty' : Array.isArray(of) ? of.join(' ') : String(of);
  return <b className="mono">{text}</b>;
}
