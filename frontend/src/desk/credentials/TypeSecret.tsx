import { Press, Tick } from '../../parts/controls';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useRef, useState } from 'react';
import type { Schemas, Slot } from '../../api/client';
import { Trouble } from '../../parts/Trouble';
import { count } from '../../parts/words';
import { useDeskState } from '../context';
import styles from './credentials.module.css';
import { opinion, useTypeSecret } from './queries';

const WORDS = ['guessed at once', 'guessed quickly', 'weak: it would be a stop', 'strong', 'very strong'];

/** A secret that somebody chose, typed twice, judged while it is typed. */
export function TypeSecret({ slot, onClose }: { slot: Slot; onClose: () => void }) {
  const { name } = useDeskState();
  const keep = useTypeSecret(name);
  const [secret, setSecret] = useState('');
  const [again, setAgain] = useState('');
  const [shown, setShown] = useState(false);
  const [judged, setJudged] = useState<Schemas['Opinion'] | null>(null);
  const asked = useRef(0);
  const type = async (typed: string) => {
    setSecret(typed);
    const question = (asked.current += 1);
    if (!typed) return setJudged(null);
    try {
      const found = await opinion(name, slot.path, typed);
      if (question === asked.current) setJudged(found);
    } catch {
      if (question === asked.current) setJudged(null);
    }
  };
  const wrong = judged?.problems ?? [];
  const differs = again !== '' && again !== secret;
  return (
    <form
      className={styles.typing}
      onSubmit={(event) => {
        event.preventDefault();
        keep.mutate({ path: slot.path, secret }, { onSuccess: onClose });
      }}
    >
      <h2>
        {slot.label} of {slot.owner}
      </h2>
      <p className="quiet">Wanted: {slot.rules}. Case matters.</p>
      <TextField
        autoFocus
        fullWidth
        label="Secret"
        type={shown ? 'text' : 'password'}
        autoComplete="off"
        value={secret}
        error={wrong.length > 0}
        helperText={wrong.join('; ') || ' '}
        onChange={(event) => void type(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 256, 'data-lpignore': 'true' } }}
      />
      <TextField
        fullWidth
        label="The same again"
        type={shown ? 'text' : 'password'}
        autoComplete="off"
        value={again}
        error={differs}
        helperText={differs ? 'The two differ' : ' '}
        onChange={(event) => setAgain(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 256 } }}
      />
      <label className="line">
        <Tick checked={shown} onChange={(event) => setShown(event.target.checked)} />
        Show what is typed
      </label>
      {judged && judged.shared > 0 && (
        <p className="note doubt" role="status">
          <b>It is used already</b>, in {count(judged.shared, 'other slot')}: who learns one has both. Kept
          here, it is a stop.
        </p>
      )}
      {judged && !slot.given && (
        <div role="status">
          <meter
            min={0}
            max={4}
            low={2.5}
            high={3.5}
            optimum={4}
            value={judged.score}
            aria-label="Strength"
          />{' '}
          {WORDS[judged.score]}
          {judged.score < 3 && judged.advice && <span className="quiet">. {judged.advice}</span>}
        </div>
      )}
      {keep.error && <Trouble>{keep.error.message}</Trouble>}
      <div style={{ marginTop: 12 }}>
        <Press
          type="submit"
          variant="contained"
          loading={keep.isPending}
          waits={
            !secret || secret !== again || wrong.length > 0 ? 'type it twice alike, as the box wants it' : ''
          }
        >
          Keep it
        </Press>
        <Button onClick={onClose}>Close</Button>
      </div>
    </form>
  );
}
