import { Link } from 'react-router';
import type { Run } from '../../api/client';
import { Lines, Press } from '../../parts/controls';
import { Trouble } from '../../parts/Trouble';
import { deskPath } from '../../parts/words';
import { useDeskState } from '../context';
import { Found } from '../text/Found';
import { useReading } from '../text/useReading';
import styles from './bench.module.css';

interface Props {
  run: Run;
  mayStage: boolean;
  onKept: () => void;
}

/** What the box shows now: judged as it is pasted, and kept with the run, which records the step. */
export function ShownNow({ run, mayStage, onKept }: Props) {
  const { name } = useDeskState();
  const { text, setText, read, back, keep } = useReading(run.device);
  const good = back && !back.about && back.differs.length + back.missing.length + back.unplanned.length === 0;
  const words = good ? 'Keep: as planned' : 'Keep what was found';
  return (
    <div className={`pile ${styles.shown}`}>
      <Lines
        className="mono"
        data-measure="read-back"
        rows={back ? 3 : 10}
        value={text}
        spellCheck={false}
        aria-label="What it shows"
        onChange={(event) => setText(event.target.value)}
        onFocus={(event) => back && event.target.select()}
      />
      <div className="line wrap">
        {mayStage && (
          <Press
            variant="contained"
            loading={keep.isPending}
            waits={back ? '' : 'paste what the box shows'}
            onClick={() => keep.mutate(text, { onSuccess: () => good && onKept() })}
          >
            {back ? words : 'Keep what was found'}
          </Press>
        )}
        <Link to={deskPath(name, `read-back/${run.device}`)}>See each value in the text</Link>
      </div>
      {keep.error && <Trouble>{keep.error.message}</Trouble>}
      {read.error && <Trouble>{read.error.message}</Trouble>}
      {back && <Found back={back} called={run.name} device={run.device} />}
    </div>
  );
}
