import Button from '@mui/material/Button';
import { useState } from 'react';
import { Link, Navigate, useParams } from 'react-router';
import { useMay } from '../../frame/person';
import { LinkButton } from '../../parts/controls';
import { StageMark } from '../../parts/Marks';
import { Notice } from '../../parts/Notice';
import { deskPath } from '../../parts/words';
import { useDeskState } from '../context';
import styles from './bench.module.css';
import { useBegin, useRun } from './queries';
import { firstOpen } from './sheet';
import { StepList } from './StepList';
import { StepView } from './StepView';

/** The run sheet of one device: its steps, what laptop and box see of each other, and the values to type. */
export function BenchPage() {
  const { name, desk: state } = useDeskState();
  const { device } = useParams();
  const open = state.staging.filter((staging) => !staging.finished);
  const first = open.find((staging) => staging.begun) ?? open[0] ?? state.staging[0];
  if (!first) {
    return (
      <Notice
        title="No box to stage yet"
        detail="Add the site's boxes on Devices: their run sheets follow from the plan and from what Hardware knows of each."
      >
        <Link to={deskPath(name, 'devices')}>Go to Devices</Link>
      </Notice>
    );
  }
  if (!device) return <Navigate to={deskPath(name, `bench/${first.device}`)} replace />;
  return <OneRun key={device} device={device} />;
}

function OneRun({ device }: { device: string }) {
  const { name } = useDeskState();
  const run = useRun(name, device);
  const begin = useBegin(name, device);
  const mayStage = useMay('stage');
  const [chosen, setChosen] = useState<string | null>(null);
  if (run.error && !run.data) {
    return (
      <Notice title="There is no run sheet" detail={run.error.message}>
        <Link to={deskPath(name, 'bench')}>See the site's boxes</Link>
      </Notice>
    );
  }
  if (!run.data) return null;
  const sheet = run.data;
  const here = sheet.steps.find((step) => step.key === chosen)?.key ?? firstOpen(sheet);
  const step = sheet.steps.find((one) => one.key === here);
  return (
    <div className={`fill ${styles.bench}`}>
      <aside className={styles.steps} aria-label="Run sheet">
        <Boxes device={device} />
        <div className={`quiet small ${styles.box}`}>
          {sheet.type}
          {sheet.begun && mayStage && (
            <>
              {' '}
              ·{' '}
              <LinkButton
                title="Begin a new run, for a box that was reset or exchanged. What was recorded is kept."
                onClick={() => begin.mutate(undefined, { onSuccess: () => setChosen(null) })}
              >
                begin again
              </LinkButton>
            </>
          )}
        </div>
        <StepList run={sheet} here={here} onChoose={setChosen} />
      </aside>
      {step ? (
        <StepView key={step.key} run={sheet} step={step} onGo={setChosen} />
      ) : (
        <Notice title="There is no run sheet" detail={`${sheet.problem}.`} />
      )}
    </div>
  );
}

/** The site's boxes, each with how far it is. */
function Boxes({ device }: { device: string }) {
  const { name, desk: state } = useDeskState();
  return (
    <nav className={`scroll ${styles.boxes}`} aria-label="Boxes of this site">
      {state.staging.map((staging) => {
        const stage = staging.finished ? 'done' : staging.trouble || staging.problem ? 'trouble' : 'open';
        const box = state.plan.devices[staging.device];
        return (
          <Link
            key={staging.device}
            to={deskPath(name, `bench/${staging.device}`)}
            className="line"
            aria-current={staging.device === device ? 'page' : undefined}
          >
            <StageMark stage={stage} />
            <b className="fill clip" title={box?.name ?? ''}>
              {box?.name ?? box?.role}
            </b>
            <span className="quiet small">
              {staging.done}/{staging.steps}
            </span>
          </Link>
        );
      })}
    </nav>
  );
}

export function BigButton(props: {
  children: string;
  disabled?: boolean;
  loading?: boolean;
  onClick: () => void;
}) {
  const { children, ...rest } = props;
  return (
    <Button
      variant="contained"
      size="large"
      {...rest}
      sx={{ fontSize: 15, minWidth: 150, lineHeight: '22px' }}
    >
      {children}
    </Button>
  );
}
