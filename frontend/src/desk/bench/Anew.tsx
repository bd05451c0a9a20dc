import { useState } from 'react';
import type { Run } from '../../api/client';
import { LinkButton } from '../../parts/controls';
import { Sure } from '../../parts/Sure';
import { count } from '../../parts/words';
import { useDeskState } from '../context';
import { useBegin, useTakeBackRun } from './queries';
import { settled } from './sheet';

/** A new run of a box that was reset or exchanged: it asks first, and can be taken back while it is empty. */
export function Anew({ run, onAnew }: { run: Run; onAnew: () => void }) {
  const { name } = useDeskState();
  const begin = useBegin(name, run.device);
  const back = useTakeBackRun(name, run.device);
  const [asked, setAsked] = useState(false);
  const [begun, setBegun] = useState(false);
  const done = run.steps.filter(settled).length;
  const empty = run.steps.every((step) => step.tick === null) && run.backups.length === 0;
  return (
    <>
      {begun && empty && (
        <LinkButton onClick={() => back.mutate(undefined, { onSuccess: () => setBegun(false) })}>
          Go back to the run before
        </LinkButton>
      )}
      {!empty && <LinkButton onClick={() => setAsked(true)}>Stage it anew…</LinkButton>}
      {back.error && <span role="alert">{back.error.message}</span>}
      {asked && (
        <Sure
          title={`Stage ${run.name} anew?`}
          yes="Stage it anew"
          no="Go on with this run"
          pending={begin.isPending}
          error={begin.error}
          onNo={() => setAsked(false)}
          onYes={() =>
            begin.mutate(undefined, {
              onSuccess: () => {
                setAsked(false);
                setBegun(true);
                onAnew();
              },
            })
          }
        >
          For a box that was reset: all {run.steps.length} steps are open again, {count(done, 'step')} that{' '}
          {done === 1 ? 'is' : 'are'} recorded no longer {done === 1 ? 'counts' : 'count'}. The record of this
          run{run.backups.length > 0 && ', backups included,'} stays under All runs, and until something is
          recorded in the new one you can go back to it. For another box in its place, replace it on Devices.
        </Sure>
      )}
    </>
  );
}
