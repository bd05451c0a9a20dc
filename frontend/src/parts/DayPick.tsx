import { useRef } from 'react';
import { LinkButton } from './controls';
import styles from './daypick.module.css';

/** A calendar to pick a day from, beside a field in which days are typed. */
export function DayPick({
  label,
  value,
  onPick,
}: {
  label: string;
  value: string;
  onPick: (day: string) => void;
}) {
  const calendar = useRef<HTMLInputElement>(null);
  return (
    <span className={styles.pick}>
      <LinkButton aria-label={`Pick ${label} from a calendar`} onClick={() => calendar.current?.showPicker()}>
        calendar
      </LinkButton>
      <input
        ref={calendar}
        type="date"
        tabIndex={-1}
        aria-label={`Calendar for ${label}`}
        value={/^\d{4}-\d{2}-\d{2}$/.test(value) ? value : ''}
        onChange={(event) => event.target.value && onPick(event.target.value)}
      />
    </span>
  );
}
