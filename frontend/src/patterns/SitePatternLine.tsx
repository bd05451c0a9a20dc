import Button from '@mui/material/Button';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Failure } from '../api/client';
import type { Proposal } from '../desk/addresses/Proposed';
import { useDeskState } from '../desk/context';
import { LinkButton } from '../parts/controls';
import { count } from '../parts/words';
import { MakePattern } from './MakePattern';
import styles from './patterns.module.css';
import { newerVersion, useSitePattern } from './queries';

/** Which pattern a site was made from, how it departs from it, and the newer version that it could take. */
export function SitePatternLine({ onProposal }: { onProposal: (proposal: Proposal) => void }) {
  const { name, desk: state, mayPlan } = useDeskState();
  const pattern = useSitePattern(name, state.revision.number);
  const [open, setOpen] = useState(false);
  const [making, setMaking] = useState(false);
  const [problem, setProblem] = useState('');
  const shown = pattern.data;
  const segments = Object.keys(state.plan.segments).length;
  const see = async (version: number) => {
    setProblem('');
    try {
      onProposal(await newerVersion(name, version));
    } catch (error) {
      setProblem((error as Failure).message);
    }
  };
  if (!shown && (!mayPlan || segments === 0)) return null;
  return (
    <div className={`line far wrap small ${styles.line}`}>
      {shown && (
        <>
          <span>
            From pattern <Link to={`/patterns/${shown.key}`}>{shown.name}</Link>, version {shown.version}
          </span>
          {shown.departures.length > 0 ? (
            <LinkButton aria-expanded={open} onClick={() => setOpen(!open)}>
              departs from it in {count(shown.departures.length, 'value')}
            </LinkButton>
          ) : (
            <span className="quiet">just as it says</span>
          )}
          {shown.newest > shown.version && mayPlan && (
            <Button onClick={() => void see(shown.newest)}>See what version {shown.newest} changes</Button>
          )}
        </>
      )}
      {!shown && mayPlan && (
        <LinkButton onClick={() => setMaking(true)}>Make a pattern like this site</LinkButton>
      )}
      {problem && <span role="alert">{problem}</span>}
      {open && shown && (
        <ul className={`wide ${styles.sites}`}>
          {shown.departures.slice(0, 40).map((one) => (
            <li key={one.path + one.text}>{one.text}</li>
          ))}
          {shown.departures.length > 40 && <li>and {shown.departures.length - 40} more</li>}
        </ul>
      )}
      {making && <MakePattern like={`${name.customer}/${name.site}`} onClose={() => setMaking(false)} />}
    </div>
  );
}
