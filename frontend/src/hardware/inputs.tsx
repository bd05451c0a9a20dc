import { useState, type ReactNode } from 'react';
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

/** Several words, typed with blanks or commas between them; what is typed stays as it was typed. */
export function Several(props: {
  label: string;
  value: readonly string[];
  onChange: (value: string[]) => void;
}) {
  const { label, value, onChange } = props;
  const [typed, setTyped] = useState(value.join(', '));
  return (
    <label className="field">
      {label}
      <Line
        className="mono"
        value={typed}
        maxLength={400}
        spellCheck={false}
        onChange={(event) => {
          setTyped(event.target.value);
          onChange(event.target.value.split(/[\s,;]+/).filter(Boolean));
        }}
        onBlur={() => setTyped(value.join(', '))}
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

/** The bits of a mask written as `24`, `/24` or `255.255.255.0`; nothing for what is none. */
export function bitsOf(text: string): number | null {
  const typed = text.trim().replace(/^\//, '');
  if (/^\d{1,3}$/.test(typed)) return Number(typed) <= 128 ? Number(typed) : null;
  const octets = typed.split('.').map(Number);
  if (octets.length !== 4 || octets.some((octet) => !Number.isInteger(octet) || octet > 255)) return null;
  const bits = octets.map((octet) => octet.toString(2).padStart(8, '0')).join('');
  return /^1*0*$/.test(bits) ? bits.indexOf('0') + (bits.includes('0') ? 0 : 33) : null;
}

/** A mask in any usual notation, or nothing. */
export function Mask(props: {
  label: string;
  value: number | null;
  onChange: (value: number | null) => void;
}) {
  const [text, setText] = useState(props.value === null ? '' : `/${props.value}`);
  const bits = bitsOf(text);
  const wrong = text.trim() !== '' && bits === null;
  return (
    <label className="field">
      {props.label}
      <Line
        className="mono"
        aria-label={props.label}
        aria-invalid={wrong}
        placeholder="/24 or 255.255.255.0"
        maxLength={20}
        value={text}
        onChange={(event) => {
          setText(event.target.value);
          props.onChange(bitsOf(event.target.value));
        }}
      />
      {wrong ? (
        <span role="alert" className="bad">
          Write a mask such as /24 or 255.255.255.0
        </span>
      ) : (
        bits !== null && text.includes('.') && <span>/{bits}</span>
      )}
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
