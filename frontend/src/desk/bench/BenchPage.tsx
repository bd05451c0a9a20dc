import { useState } from 'react';
import { Link, Navigate, useParams } from 'react-router';
import type { Run } from '../../api/client';
import { useMay } from '../../frame/person';
import { StageMark } from '../../parts/Marks';
import { Notice } from '../../parts/Notice';
import { deskPath } from '../../parts/words';
import { useDeskState } from '../context';
import { inOrder } from '../devices/board';
import { Anew } from './Anew';
import styles from './bench.module.css';
import { Following, useAtBench, useTellPlace } from './Following';
import { HandsPart } from './HandsPart';
import { Heeds } from './Heeds';
import { useRun } from './queries';
import { firstOpen } from './sheet';
import { StepList } from './StepList';
import { StepView } from './StepView';

/** The run sheet of one device: its steps, what laptop and box see of each other, and the values to type. */
export function BenchPage() {
  const { name, desk: state } = useDeskState();
  const { device } = useParams();
  const order = inOrder(state.plan);
  const staging = [...state.staging].sort((a, b) => order.indexOf(a.device) - order.indexOf(b.device));
  const open = staging.filter((one) => !one.finished);
  const first = open.find((one) => one.begun) ?? open[0] ?? staging[0];
  if (!first) {
    return (
      <Notice
        title="No box to stage yet"
        detail="Add the site's boxes on Devices: their run sheets follow from the plan and from what Hardware knows of each."
      >
        <Link to={deskPath(name, 'devices')}>Go to Devices</Link>{' '}
        <Link to={deskPath(name, 'runs')}>All runs of this site</Link>
      </Notice>
    );
  }
  if (!device) return <Navigate to={deskPath(name, `bench/${first.device}`)} replace />;
  return <OneRun key={device} device={device} />;
}

function OneRun({ device }: { device: string }) {
  const { name } = useDeskState();
  const run = useRun(name, device);
  const mayStage = useMay('stage');
  const [chosen, setChosen] = useState<string | null>(null);
  const [followed, setFollowed] = useState('');
  const others = useAtBench(`${name.customer}/${name.site}`, device);
  const sheet = run.data;
  const leads = others.find((one) => one.name === followed)?.step;
  const wanted = leads ?? chosen;
  const here = sheet ? (sheet.steps.find((step) => step.key === wanted)?.key ?? firstOpen(sheet)) : '';
  const onTyping = useTellPlace(device, here, mayStage && !followed);
  if (run.error && !sheet) {
    return (
      <Notice title="There is no run sheet" detail={run.error.message}>
        <Link to={deskPath(name, 'bench')}>See the site's boxes</Link>{' '}
        <Link to={deskPath(name, 'runs')}>All runs of this site</Link>
      </Notice>
    );
  }
  if (!sheet) return null;
  const step = sheet.steps.find((one) => one.key === here);
  const go = (key: string) => {
    setFollowed('');
    setChosen(key);
  };
  return (
    <div className={`fill ${styles.bench}`}>
      <aside className={styles.steps} aria-label="Run sheet">
        <Boxes device={device} />
        <Heeds />
        <About run={sheet} onAnew={() => setChosen(null)} />
        <HandsPart run={sheet} />
        <Following
          run={sheet}
          others={others}
          followed={followed}
          onFollow={(one) => {
            setChosen(here);
            setFollowed(one);
          }}
        />
        <StepList run={sheet} here={here} onChoose={go} />
      </aside>
      {step ? (
        <StepView key={step.key} run={sheet} step={step} onGo={go} onTyping={onTyping} />
      ) : (
        <Notice title="There is no run sheet" detail={`${sheet.problem}.`} />
      )}
    </div>
  );
}

/** What the box is, which boxes come before it, and its record. */
function About({ run, onAnew }: { run: Run; onAnew: () => void }) {
  const { name } = useDeskState();
  const mayStage = useMay('stage');
  return (
    <div className={`quiet small ${styles.box}`}>
      {run.type}
      {run.after.length > 0 && `, staged after ${run.after.join(' and ')}, which it hangs on`}
      <div className="line wrap">
        {run.run !== null && <Link to={deskPath(name, `runs/${run.run}`)}>Record of this run</Link>}
        <Link to={deskPath(name, 'runs')}>All runs</Link>
        <Link to={deskPath(name, `text/${run.device}`)}>As text</Link>
        <Link to={deskPath(name, `read-back/${run.device}`)}>Read back</Link>
        {run.begun && mayStage && <Anew run={run} onAnew={onAnew} />}
      </div>
    </div>
  );
}

/** The site's boxes in the order in which they are staged, each with how far it is. */
function Boxes({ device }: { device: string }) {
  const { name, desk: state } = useDeskState();
  const order = inOrder(state.plan);
  const staging = [...state.staging].sort((a, b) => order.indexOf(a.device) - order.indexOf(b.device));
  return (
    <nav className={`scroll ${styles.boxes}`} aria-label="Boxes of this site, in the order of staging">
      {staging.map((one) => {
        const stage = one.finished ? 'done' : one.trouble || one.problem ? 'trouble' : 'open';
        const box = state.plan.devices[one.device];
        return (
          <Link
            key={one.device}
            to={deskPath(name, `bench/${one.device}`)}
            className="line"
            aria-current={one.device === device ? 'page' : undefined}
          >
            <StageMark stage={stage} />
            <b className="fill clip" title={box?.name ?? ''}>
              {box?.name ?? box?.role}
            </b>
            <span className="quiet small">
              {one.done}/{one.steps}
            </span>
          </Link>
        );
      })}
    </nav>
  );
}
