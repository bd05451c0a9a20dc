import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import { useState } from 'react';
import { copy } from './clipboard';
import styles from './copy.module.css';

/** A value to type elsewhere: with its label, a copy button, and large when it is pressed. */
export function CopyValue({ label, text, onCopied }: { label: string; text: string; onCopied?: () => void }) {
  const [large, setLarge] = useState(false);
  const [said, setSaid] = useState('');
  const words = /^[a-z][a-z ,:]+$/i.test(text) && !/^[a-z0-9.-]+$/i.test(text);
  return (
    <div className={styles.value}>
      <div className="quiet small">{label}</div>
      <div className="line apart">
        <button
          type="button"
          className={`${styles.text} ${words ? '' : 'mono'}`}
          title="Enlarge"
          onClick={() => setLarge(true)}
        >
          {text}
        </button>
        <Button
          variant="outlined"
          data-copy={label}
          aria-label={`Copy ${label}`}
          onClick={() => {
            void copy(text).then((done) => setSaid(done ? 'Copied' : 'Not copied: the browser refuses'));
            onCopied?.();
          }}
        >
          Copy
        </Button>
      </div>
      {said && (
        <div role="status" className="quiet small">
          {said}
        </div>
      )}
      <Dialog open={large} onClose={() => setLarge(false)} slotProps={{ paper: { 'aria-label': label } }}>
        <button type="button" className={styles.large} onClick={() => setLarge(false)}>
          <div className="quiet small">{label}</div>
          <span className="mono">{text}</span>
        </button>
      </Dialog>
    </div>
  );
}
