import { Link } from 'react-router';
import { SeverityMark } from '../../parts/Marks';
import { count, deskPath } from '../../parts/words';
import { useDeskState } from '../context';
import styles from './bench.module.css';

/** What whoever stages has to know of the site: its stops, and that nothing is cleared (any more). */
export function Heeds() {
  const { name, desk: state } = useDeskState();
  const { summary, clearance, shipped } = state;
  const voided = clearance?.void ?? '';
  if (summary.stops === 0 && !voided) return null;
  return (
    <div className={styles.heeds} role="status" aria-label="Before you go on">
      {summary.stops > 0 && (
        <div>
          <SeverityMark of="stop" size={12} /> The plan has{' '}
          <Link to={deskPath(name, 'clearance')}>{count(summary.stops, 'stop')}</Link>: what you type may
          change again.
        </div>
      )}
      {voided && !shipped && (
        <div>
          <SeverityMark of="warn" size={12} /> The <Link to={deskPath(name, 'clearance')}>clearance</Link> is
          void. {voided}.
        </div>
      )}
    </div>
  );
}
