import Button from '@mui/material/Button';
import { useState } from 'react';
import type { Schemas } from '../../api/client';
import { LinkButton, Tick } from '../../parts/controls';
import { Trouble } from '../../parts/Trouble';
import { freshId } from '../addresses/edits';
import { useDeskState, useDrafting } from '../context';
import styles from './intake.module.css';

/** What the replaced box has that the new one must have too: marked here, and held by a rule from then on. */
export function Survivors({ candidates, asked }: { candidates: Schemas['Candidate'][]; asked: boolean }) {
  const { mayPlan } = useDeskState();
  const { plan, keep, problem } = useDrafting();
  const [choosing, setChoosing] = useState(false);
  const survivors = Object.entries(plan.survivors);
  if (!asked && survivors.length === 0) return null;
  const marked = new Set(survivors.map(([, survivor]) => survivor.path));
  const mark = (candidate: Schemas['Candidate']) => {
    const { path, what, value } = candidate;
    const id = freshId(plan.survivors);
    keep([{ op: 'add', path: `/survivors/${id}`, value: { what: what.slice(0, 80), value, path } }]);
  };
  return (
    <div className={styles.survivors}>
      <div>
        <b>Must survive</b> {survivors.length === 0 && <span className="quiet">nothing is marked yet</span>}
      </div>
      <ul>
        {survivors.map(([id, survivor]) => (
          <li key={id} data-path={`/survivors/${id}`}>
            {survivor.what} <b className="mono">{survivor.value}</b>{' '}
            {!survivor.path && <span className="quiet">anywhere in the plan</span>}
            {mayPlan && (
              <LinkButton
                aria-label={`Need not survive: ${survivor.what} ${survivor.value}`}
                onClick={() => keep([{ op: 'remove', path: `/survivors/${id}`, value: null }])}
              >
                take away
              </LinkButton>
            )}
          </li>
        ))}
      </ul>
      {mayPlan && <Button onClick={() => setChoosing(!choosing)}>Mark values of the plan</Button>}
      {choosing && (
        <ul className={styles.choices}>
          {candidates.map((candidate) => (
            <li key={candidate.path}>
              <label>
                <Tick
                  checked={marked.has(candidate.path)}
                  disabled={marked.has(candidate.path)}
                  onChange={() => mark(candidate)}
                />{' '}
                {candidate.what} <span className="mono">{candidate.value}</span>
              </label>
            </li>
          ))}
          {candidates.length === 0 && <li className="quiet">The plan has no addresses yet.</li>}
        </ul>
      )}
      {problem && <Trouble>{problem}</Trouble>}
    </div>
  );
}
