import Button from '@mui/material/Button';
import type { Failure } from '../api/client';
import styles from './typed.module.css';

/** What two people changed at once: both values, and which one shall stand. */
export function ClashChoice({ failure, onChoose }: { failure: Failure; onChoose: (mine: boolean) => void }) {
  return (
    <div role="alertdialog" aria-label="Changed by somebody else" className={styles.clash}>
      {failure.clashes.slice(0, 4).map((clash) => (
        <div key={clash.path}>
          {failure.by} changed this from <Value of={clash.base} /> to <Value of={clash.theirs} /> while you
          wrote <Value of={clash.yours} />.
        </div>
      ))}
      {failure.clashes.length > 4 && <div>And {failure.clashes.length - 4} more values.</div>}
      <div style={{ display: 'flex', gap: 8, marginTop: 4 }}>
        <Button variant="outlined" onClick={() => onChoose(false)}>
          Take theirs
        </Button>
        <Button variant="outlined" onClick={() => onChoose(true)}>
          Keep mine
        </Button>
      </div>
    </div>
  );
}

function Value({ of }: { of: unknown }) {
  const text = Array.isArray(of) ? of.map(plain).join(' ') : plain(of);
  return <b className="mono">{text.slice(0, 80) || 'empty'}</b>;
}

function plain(value: unknown): string {
  if (value === null || value === undefined) return '';
  return typeof value === 'object' ? Object.values(value).map(plain).join(' ') : String(value);
}
