import Button from '@mui/material/Button';
import { Line } from '../parts/controls';
import styles from './hardware.module.css';

/** A name and what is said of it. */
export type Pair = [name: string, value: string];

/** Names with what is said of each, a line each. */
export function PairsPart(props: {
  title: string;
  first: string;
  second: string;
  pairs: Pair[];
  onChange: (pairs: Pair[]) => void;
}) {
  const { title, first, second, pairs, onChange } = props;
  const put = (index: number, pair: Pair) =>
    onChange(pairs.map((one, place) => (place === index ? pair : one)));
  return (
    <section>
      <h3>{title}</h3>
      {pairs.map(([name, value], index) => (
        <div key={index} className={styles.pair}>
          <Line
            aria-label={`${first} ${index + 1}`}
            placeholder={first}
            value={name}
            maxLength={80}
            onChange={(event) => put(index, [event.target.value, value])}
          />
          <Line
            aria-label={`${second} ${index + 1}`}
            placeholder={second}
            value={value}
            maxLength={200}
            onChange={(event) => put(index, [name, event.target.value])}
          />
          <Button
            aria-label={`Remove ${name}`}
            onClick={() => onChange(pairs.filter((_, place) => place !== index))}
          >
            ×
          </Button>
        </div>
      ))}
      <Button onClick={() => onChange([...pairs, ['', '']])}>Add a line</Button>
    </section>
  );
}
