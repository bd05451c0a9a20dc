import { Press } from '../../parts/controls';
import { Link } from 'react-router';
import type { Finding } from '../../api/client';
import { useSign } from '../../api/queries';
import { useMay } from '../../frame/person';
import { SeverityMark } from '../../parts/Marks';
import { Trouble } from '../../parts/Trouble';
import { count, dated, deskPath, moment } from '../../parts/words';
import { useAcceptSkips } from '../bench/queries';
import { useDeskState } from '../context';
import { Accepted, AcceptWarn } from '../FindingsRail';
import { placeOf } from '../places';
import { Rehearsed } from '../rehearsal/RehearsalPage';
import { SignedTraffic } from '../traffic/Signed';
import styles from './clearance.module.css';

/** What stands in the way of shipping, what was accepted and why, and the signature. */
export function ClearancePage() {
  const { desk: state } = useDeskState();
  const stops = state.findings.filter((finding) => finding.severity === 'stop');
  const warns = state.findings.filter((finding) => finding.severity === 'warn' && !finding.acceptance);
  const accepted = state.findings.filter((finding) => finding.acceptance);
  return (
    <div className={`pile ${styles.page}`}>
      <Signature ready={stops.length + warns.length === 0} />
      <section className="card part" aria-label="In the way">
        <h2>In the way</h2>
        {stops.length + warns.length === 0 && (
          <p>
            <SeverityMark of="clear" /> Nothing: no stop, and every warn fixed or accepted.
          </p>
        )}
        {[...stops, ...warns].map((finding) => (
          <Way key={finding.identity} finding={finding} />
        ))}
      </section>
      <Skipped />
      <Rehearsed />
      <SignedTraffic />
      {accepted.length > 0 && (
        <section className="card part" aria-label="Accepted warns">
          <h2>Accepted, with the reason</h2>
          {accepted.map((finding) => (
            <Accepted key={finding.acceptance} finding={finding} />
          ))}
        </section>
      )}
    </div>
  );
}

/** Checks that were skipped on the bench: somebody who may sign accepts that they are not proven, or does not. */
function Skipped() {
  const { name, desk: state } = useDeskState();
  const maySign = useMay('sign');
  const accept = useAcceptSkips(name);
  const steps = state.staging.flatMap(({ device, skips }) =>
    [...new Set(skips.map((skip) => skip.step))].map((step) => ({
      device,
      step,
      skips: skips.filter((skip) => skip.step === step),
    })),
  );
  if (steps.length === 0) return null;
  return (
    <section className="card part" aria-label="Skipped on the bench">
      <h2>Skipped on the bench</h2>
      {steps.map(({ device, step, skips }) => {
        const [first] = skips;
        if (!first) return null;
        const box = state.plan.devices[device];
        return (
          <div key={`${device} ${step}`} className={styles.way}>
            <SeverityMark of={first.accepted_by ? 'clear' : 'stop'} />
            <div>
              <b>{box?.name ?? box?.role}</b>
              {skips.map((skip) => (
                <div key={skip.words}>{skip.words}</div>
              ))}
              <div className="quiet">
                {first.by}, {moment(first.at)}
                {first.accepted_by && `; accepted by ${first.accepted_by}`}
              </div>
              {!first.accepted_by && maySign && (
                <Press
                  variant="outlined"
                  waits=""
                  loading={accept.isPending}
                  onClick={() => accept.mutate({ device, step, seen: first.at })}
                >
                  Accept that it is not proven
                </Press>
              )}
              {!first.accepted_by && !maySign && (
                <div className="quiet">It waits for somebody who may sign clearances.</div>
              )}
            </div>
            <Link to={deskPath(name, `bench/${device}`)}>Go there</Link>
          </div>
        );
      })}
      {accept.error && <Trouble>{accept.error.message}</Trouble>}
    </section>
  );
}

function Way({ finding }: { finding: Finding }) {
  const { name, mayPlan } = useDeskState();
  return (
    <div className={styles.way}>
      <SeverityMark of={finding.severity} />
      <div>
        <b>{finding.title}</b>
        <div>{finding.message}</div>
        {finding.severity === 'warn' && mayPlan && <AcceptWarn finding={finding} />}
      </div>
      <Link to={placeOf(name, finding)}>Go there</Link>
    </div>
  );
}

function Signature({ ready }: { ready: boolean }) {
  const { name, desk: state } = useDeskState();
  const sign = useSign(name);
  const maySign = useMay('sign');
  const { clearance, revision, plan, summary } = state;
  const edged = Object.values(plan.devices).some(({ role }) => role === 'edge' || role === 'inner-router');
  const lacks = [
    Object.keys(plan.circuits).length === 0 && 'a circuit',
    Object.keys(plan.segments).length === 0 && 'a segment',
    !edged && 'a box at its edge',
  ].filter(Boolean);
  const empty = lacks.length > 0;
  if (summary.clear && clearance) {
    return (
      <section className={`card part ${styles.clear}`} aria-label="Signature">
        <h2>
          <SeverityMark of="clear" size={20} /> Clear to ship
        </h2>
        <p>
          Revision {clearance.revision}, signed by {clearance.by}, {moment(clearance.at)}. Any later change to
          the plan voids this.
        </p>
        {summary.open && !summary.shipped && (
          <p className="quiet">
            Still open on Intake: {summary.open}. None of it keeps the site from shipping.
          </p>
        )}
        <Link to={deskPath(name, 'bench')}>Go to the bench</Link>
      </section>
    );
  }
  return (
    <section className="card part" aria-label="Signature">
      <h2>{ready && !empty ? 'Ready to be signed' : 'Not clear yet'}</h2>
      {clearance?.void && (
        <p className="note doubt" role="status">
          <b>The clearance of revision {clearance.revision} is void</b>
          <br />
          Signed by {clearance.by}, {moment(clearance.at)}. {clearance.void}.
        </p>
      )}
      <p>
        {empty
          ? `The plan still lacks ${lacks.join(', ')}. `
          : `${count(summary.stops, 'stop')} and ${count(summary.warns, 'warn')} in the way. `}
        {plan.ship_date ? `It ships ${dated(plan.ship_date)}.` : 'It has no ship date yet.'}
      </p>
      {maySign && (
        <Press
          variant="contained"
          size="medium"
          waits={!ready || empty ? 'mend every stop and decide every warn first' : ''}
          loading={sign.isPending}
          onClick={() => sign.mutate(revision.number)}
        >
          Sign revision {revision.number} clear to ship
        </Press>
      )}
      {sign.error && <Trouble>{sign.error.message}</Trouble>}
    </section>
  );
}
