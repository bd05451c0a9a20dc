import Button from '@mui/material/Button';
import type { HardwareType } from '../api/client';
import { Line, Tick } from '../parts/controls';
import { BLANK_SLOT } from './blank';
import styles from './hardware.module.css';
import { Check, Several, Whole, Words } from './inputs';

type Slot = HardwareType['slots'][string];

/** The secrets that a type takes, and what each must be like. */
export function SlotsPart({
  slots,
  onChange,
}: {
  slots: [string, Slot][];
  onChange: (slots: [string, Slot][]) => void;
}) {
  const put = (index: number, key: string, values: Partial<Slot>) =>
    onChange(
      slots.map(([name, slot], place) => (place === index ? [key, { ...slot, ...values }] : [name, slot])),
    );
  const classes = ['lower', 'upper', 'digit', 'symbol'] as const;
  const words = { lower: 'abc', upper: 'ABC', digit: '123', symbol: '-/!' };
  return (
    <section>
      <h3>Secrets it takes, and what each must be like</h3>
      {slots.map(([key, slot], index) => (
        <fieldset key={index} className={styles.slot}>
          <label className="field">
            Key
            <Line
              className="mono"
              value={key}
              maxLength={40}
              onChange={(event) =>
                put(index, event.target.value.toLowerCase().replace(/[^a-z0-9-]/g, '-'), {})
              }
            />
          </label>
          <Words label="What it is" value={slot.label} onChange={(label) => put(index, key, { label })} />
          <Whole
            label="Shortest"
            value={slot.shortest}
            onChange={(n) => put(index, key, { shortest: n ?? 1 })}
          />
          <Whole
            label="Longest"
            value={slot.longest}
            onChange={(n) => put(index, key, { longest: n ?? 1 })}
          />
          <span className="line wrap" role="group" aria-label="Must hold">
            {classes.map((name) => (
              <label key={name} className={`line ${styles.check}`}>
                <Tick
                  aria-label={`${words[name]} in ${slot.label || key}`}
                  disabled={slot.digits_only}
                  checked={slot[name]}
                  onChange={(event) => put(index, key, { [name]: event.target.checked })}
                />
                {words[name]}
              </label>
            ))}
          </span>
          <Check
            label="Digits only"
            value={slot.digits_only}
            onChange={(digits_only) => put(index, key, { digits_only })}
          />
          <Words
            mono
            label="Characters it does not take"
            value={slot.forbidden}
            onChange={(forbidden) => put(index, key, { forbidden: forbidden ?? '' })}
          />
          <Several
            label="Must differ from (keys)"
            value={slot.distinct_from}
            onChange={(distinct_from) => put(index, key, { distinct_from })}
          />
          <Button
            aria-label={`Remove secret ${key}`}
            onClick={() => onChange(slots.filter((_, place) => place !== index))}
          >
            ×
          </Button>
        </fieldset>
      ))}
      <Button onClick={() => onChange([...slots, [`secret-${slots.length + 1}`, BLANK_SLOT]])}>
        Add a secret
      </Button>
    </section>
  );
}
