import { Link } from 'react-router';
import { Press } from '../../parts/controls';
import { SeverityMark } from '../../parts/Marks';
import { Trouble } from '../../parts/Trouble';
import { count, deskPath } from '../../parts/words';
import { useDeskState } from '../context';
import { NetworkPicture } from './NetworkPicture';
import { useRehearsal, useRehearse, type Rehearsal, type UnderWay } from './queries';
import styles from './rehearsal.module.css';
import { ResultPart } from './ResultPart';

/** The plan brought up as a real network on the machine that Octaplan runs on, and what it did. */
export function RehearsalPage() {
  const { name, mayPlan, desk } = useDeskState();
  const { data: shown, error } = useRehearsal(name);
  const rehearse = useRehearse(name);
  if (error) return <Trouble>{error.message}</Trouble>;
  if (!shown) return null;
  const routed = Object.values(desk.plan.devices).some((box) => ['edge', 'inner-router'].includes(box.role));
  return (
    <div className={`pile ${styles.page}`}>
      <header className="line wrap">
        <h1>Rehearsal</h1>
        <Link to={deskPath(name, 'traffic')}>Traffic</Link>
        <span className="fill" />
        {mayPlan && (
          <Press
            variant={shown.running ? 'outlined' : 'contained'}
            loading={rehearse.isPending}
            waits={waits(shown, routed)}
            onClick={() => rehearse.mutate(shown.running ? 'stop' : 'begin')}
          >
            {shown.running ? 'Stop' : shown.last ? 'Rehearse again' : 'Rehearse'}
          </Press>
        )}
      </header>
      <p className="quiet">
        The planned site as a real network on the machine that Octaplan runs on, out of Linux network
        namespaces: real packets go through it, and what happens is held against what the walk says and
        against what is meant.
      </p>
      {rehearse.error && <Trouble>{rehearse.error.message}</Trouble>}
      {shown.missing && <p className="note">{shown.missing}.</p>}
      {!shown.missing && shown.without && (
        <p className="note">
          Leases and names are left out: {shown.without} is not installed on that machine.
        </p>
      )}
      {shown.problem && !shown.running && (
        <p role="alert" className="note">
          The last one came to no result: {shown.problem}.
        </p>
      )}
      {!routed && (
        <p className="note">
          No box of this site routes yet. <Link to={deskPath(name, 'devices')}>Add its edge on Devices</Link>.
        </p>
      )}
      {shown.running ? (
        <Progress running={shown.running} />
      ) : (
        shown.last && <ResultPart result={shown.last} />
      )}
    </div>
  );
}

function waits(shown: Rehearsal, routed: boolean): string {
  if (shown.running) return '';
  if (shown.missing) return 'this machine cannot: see below';
  return routed ? '' : 'no box of the site routes yet';
}

const PHASES: Record<string, string> = {
  planning: 'The network is designed from the plan',
  building: 'Boxes, lines and cables are brought up',
  leases: 'Clients ask for their leases',
  asking: 'Packets are sent from everywhere to everywhere',
};

function Progress({ running }: { running: UnderWay }) {
  const down = running.down.length > 0 ? `, with ${running.down.join(' and ')} down` : '';
  return (
    <section className="card part" aria-label="Under way">
      <p role="status" className={styles.sum}>
        {PHASES[running.phase]}
        {down}: {running.by} rehearses revision {running.revision}.
      </p>
      <progress
        className={styles.bar}
        max={Math.max(1, running.questions)}
        value={running.answered}
        aria-label="Answers so far"
      />
      <p className="quiet small">
        {count(running.questions, 'question')}, {running.answered} answered so far; silence is heard out.
      </p>
      <NetworkPicture spaces={running.spaces} cables={running.cables} up={running.phase !== 'building'} />
    </section>
  );
}

/** On Clearance: whether the site was rehearsed as it is. */
export function Rehearsed() {
  const { name } = useDeskState();
  const { data: shown } = useRehearsal(name);
  if (!shown) return null;
  const { last } = shown;
  const good = last?.now && last.agrees;
  return (
    <section className="card part" aria-label="Rehearsal">
      <h2>Rehearsal</h2>
      <p>
        {last && <SeverityMark of={good ? 'clear' : 'warn'} />} {told(shown)}{' '}
        <Link to={deskPath(name, 'rehearsal')}>{last ? 'See what happened' : 'Rehearse it'}</Link>
      </p>
    </section>
  );
}

function told({ last, running }: Rehearsal): string {
  if (running) return `${running.by} rehearses it at this moment.`;
  if (!last) return 'The plan was never brought up as a real network.';
  const at = `Rehearsed at revision ${last.revision} by ${last.by}`;
  const agreed = last.agrees
    ? 'network, walk and intent agreed'
    : `${count(last.against_walk_count + last.otherwise_count, 'answer')} otherwise`;
  if (last.now) return `${at}, as it is now: ${count(last.questions, 'question')}, ${agreed}.`;
  return `${at}: ${agreed}. The plan has changed since, by ${count(last.behind, 'revision')}.`;
}
