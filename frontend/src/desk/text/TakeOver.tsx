import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useQuery } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { api, body, type Schemas } from '../../api/client';
import { Lines, Press, Tick } from '../../parts/controls';
import { Unfolding } from '../../parts/Unfolding';
import { Trouble } from '../../parts/Trouble';
import { count } from '../../parts/words';
import { useDeskState, useSteps } from '../context';
import styles from './text.module.css';

type TakenOver = Schemas['TakenOver'];

/** A site that nobody planned: what its boxes print, as parts of a plan to be confirmed one by one. */
export function TakeOver({ onClose }: { onClose: () => void }) {
  const { name, revision } = useDeskOf();
  const { keep } = useSteps();
  const [text, setText] = useState('');
  const [left, setLeft] = useState<string[]>([]);
  const asked = useDeferredValue(text);
  const found = useQuery({
    queryKey: ['take-over', name.customer, name.site, revision, asked],
    queryFn: async () =>
      body(
        await api.POST('/api/sites/{customer}/{site}/take-over', {
          params: { path: name },
          body: { text: asked },
        }),
      ),
    enabled: asked.trim() !== '',
    placeholderData: (before) => (asked.trim() ? before : undefined),
    retry: false,
    gcTime: 0,
  });
  const proposals = found.data?.parts ?? [];
  const chosen = taken(proposals, left);
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth>
      <DialogTitle>Take over what a box prints</DialogTitle>
      <DialogContent>
        <p>
          Its configuration, or what status commands show. Each part is yours to confirm; what the plan holds
          already is left out.
        </p>
        <Lines
          autoFocus
          aria-label="What the box prints"
          className="mono"
          rows={8}
          spellCheck={false}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        {found.error && text.trim() && <Trouble>{found.error.message}</Trouble>}
        {text.trim() && found.data && proposals.length === 0 && (
          <p role="status">Nothing is in it that the plan does not hold already.</p>
        )}
        {text.trim() && found.data && <Understood read={found.data} text={asked} />}
        <ul className={styles.found} aria-label="What it has">
          {proposals.map((one) => (
            <li key={one.sentence}>
              <label className="line">
                <Tick
                  checked={chosen.includes(one)}
                  onChange={(event) =>
                    setLeft(
                      event.target.checked
                        ? left.filter((other) => other !== one.sentence)
                        : [...left, one.sentence],
                    )
                  }
                />
                <span className="fill">{one.sentence}</span>
                <span className="quiet small">
                  {one.lines.length === 1 ? 'line' : 'lines'} {one.lines.join(', ')}
                </span>
              </label>
            </li>
          ))}
        </ul>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave it</Button>
        <Press
          variant="contained"
          waits={chosen.length === 0 ? 'nothing is confirmed yet' : ''}
          onClick={() => {
            keep(chosen.flatMap((one) => one.operations));
            onClose();
          }}
        >
          {chosen.length === 0 ? 'Take it over' : `Take over ${count(chosen.length, 'part')}`}
        </Press>
      </DialogActions>
    </Dialog>
  );
}

/** How much of a text was understood, with the lines that nothing comes from, for somebody to look at. */
function Understood({ read, text }: { read: Schemas['TextTakenOver']; text: string }) {
  const { lines, unread, unread_total } = read;
  const written = text.split(/\r\n?|\n/);
  return (
    <div role="status">
      {lines - unread_total} of {count(lines, 'line')} understood
      {unread_total > 0 && (
        <>
          .{' '}
          <Unfolding word={`${count(unread_total, 'line')} not`} label="Lines that were not understood" wide>
            <p className="quiet small">
              What stands here goes into no part: type what matters of it, or leave it behind.
            </p>
            <ol className={`mono small ${styles.unread}`}>
              {unread.map((number) => (
                <li key={number}>
                  <span className="quiet">{String(number).padStart(4)} </span>
                  {written[number - 1]}
                </li>
              ))}
            </ol>
            {unread_total > unread.length && (
              <p className="quiet small">
                and {count(unread_total - unread.length, 'more line', 'more lines')}
              </p>
            )}
          </Unfolding>
        </>
      )}
    </div>
  );
}

function useDeskOf() {
  const { name, desk } = useDeskState();
  return { name, revision: desk.revision.number };
}

/** The parts that are taken: those not left out, whose segment is taken as well. */
function taken(proposals: TakenOver[], left: string[]): TakenOver[] {
  const wanted = proposals.filter((one) => !left.includes(one.sentence));
  const places = new Set(wanted.flatMap((one) => one.operations.map((operation) => operation.path)));
  return wanted.filter((one) => !one.needs || places.has(one.needs));
}
