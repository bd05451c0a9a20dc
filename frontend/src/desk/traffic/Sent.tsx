import { count } from '../../parts/words';
import { useDeskState } from '../context';
import { useRehearsal } from '../rehearsal/queries';
import styles from './traffic.module.css';

/** So many packets are drawn at most. */
const MOST_DRAWN = 48;

/** The packets that the rehearsal of the plan as it is sent from one place to another: how far each came. */
export function Sent({ source, target }: { source: string; target: string }) {
  const { name } = useDeskState();
  const { data } = useRehearsal(name);
  const sent = data?.last?.now
    ? data.last.cells.find((one) => one.source === source && one.target === target)
    : null;
  if (!sent) return null;
  const stopped = sent.asked - sent.passed;
  const share = Math.min(1, MOST_DRAWN / sent.asked);
  return (
    <div className={styles.sent} data-amiss={sent.against_walk > 0 || undefined}>
      <Packets many={stopped} share={share} />
      <span aria-hidden className={styles.stopped} hidden={stopped === 0} />
      <span aria-hidden className={styles.flight} hidden={sent.passed === 0} />
      <Packets many={sent.passed} share={share} arrived />
      <span className="small">
        Rehearsed: {count(sent.asked, 'packet')} sent, {sent.passed} passed, {stopped} stopped,{' '}
        {sent.against_walk > 0 ? `${sent.against_walk} other than the walk says.` : 'all as the walk says.'}
      </span>
    </div>
  );
}

/** A mark for each packet, or for a share of them where there are many. */
function Packets({ many, share, arrived }: { many: number; share: number; arrived?: boolean }) {
  return (
    <span aria-hidden className={styles.packets} data-arrived={arrived}>
      {Array.from({ length: Math.ceil(many * share) }, (_, place) => (
        <i key={place} />
      ))}
    </span>
  );
}
