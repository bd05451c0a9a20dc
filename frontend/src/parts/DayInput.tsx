import { useState } from 'react';
import { Line } from './controls';
import styles from './typed.module.css';

const DAY = /^\d{4}-\d{2}-\d{2}$/;

/** Whether a text is a day that the calendar has, as year-month-day. */
export function isDay(text: string): boolean {
  const at = Date.parse(`${text}T00:00:00Z`);
  return DAY.test(text) && !Number.isNaN(at) && new Date(at).toISOString().startsWith(text);
}

interface Props {
  label: string;
  value: string;
  disabled?: boolean;
  onCommit: (day: string) => void;
}

/** A day as year-month-day, or nothing; it counts on Enter or when it is left. */
export function DayInput({ label, value, disabled = false, onCommit }: Props) {
  const [text, setText] = useState<string | null>(null);
  const wrong = text !== null && text !== '' && !isDay(text);
  const commit = () => {
    if (text === null || wrong) return;
    setText(null);
    if (text !== value) onCommit(text);
  };
  return (
    <>
      <Line
        className="mono"
        aria-label={label}
        aria-invalid={wrong}
        placeholder="2027-03-04"
        size={11}
        maxLength={10}
        disabled={disabled}
        value={text ?? value}
        onChange={(event) => setText(event.target.value.trim())}
        onBlur={commit}
        onKeyDown={(event) => {
          if (event.key === 'Enter') commit();
          if (event.key === 'Escape') setText(null);
        }}
      />
      {wrong && text.length === 10 && (
        <span role="alert" className={`quiet small ${styles.message}`} data-wrong="true">
          No such day: write year-month-day
        </span>
      )}
    </>
  );
}
