import type { ReactNode } from 'react';
import { Line, Select, Tick } from '../parts/controls';
import styles from './hardware.module.css';

/** A part of a type, with what belongs to it. */
export function Group({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section>
      <h3>{title}</h3>
      <div className="fields">{children}</div>
    </section>
  );
}

/** Text, or nothing. */
export function Words(props: {
  label: string;
  value: string | null;
  mono?: boolean;
  onChange: (value: string | null) => void;
}) {
  return (
    <label className="field">
      {props.label}
      <Line
        className={props.mono ? 'mono' : undefined}
        value={props.value ?? ''}
        maxLength={200}
        spellCheck={false}
        onChange={(event) => props.onChange(event.target.value || null)}
      />
    </label>
  );
}

/** A whole number, or nothing. */
export function Whole(props: {
  label: string;
  value: number | null;
  onChange: (value: number | null) => void;
}) {
  return (
    <label className="field">
      {props.label}
      <Line
        className="mono"
        inputMode="numeric"
        value={props.value ?? ''}
        onChange={(event) => {
          const digits = event.target.value.replace(/\D/g, '').slice(0, 7);
          props.onChange(digits ? Number(digits) : null);
        }}
      />
    </label>
  );
}

/** One of few. */
export function Pick<T extends string>(props: {
  label: string;
  value: T;
  choices: T[];
  words?: Partial<Record<T, string>>;
  onChange: (value: T) => void;
}) {
  return (
    <label className="field">
      {props.label}
      <Select value={props.value} onChange={(event) => props.onChange(event.target.value as T)}>
        {props.choices.map((choice) => (
          <option key={choice} value={choice}>
            {props.words?.[choice] ?? choice}
          </option>
        ))}
      </Select>
    </label>
  );
}

/** Yes or no. */
export function Check(props: { label: string; value: boolean; onChange: (value: boolean) => void }) {
  return (
    <label className={`line ${styles.check}`}>
      <Tick checked={props.value} onChange={(event) => props.onChange(event.target.checked)} />
      {props.label}
    </label>
  );
}
