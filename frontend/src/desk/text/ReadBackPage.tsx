import Button from '@mui/material/Button';
import { Link } from 'react-router';
import { useMay } from '../../frame/person';
import { Lines, Press } from '../../parts/controls';
import { Notice } from '../../parts/Notice';
import { Trouble } from '../../parts/Trouble';
import { deskPath } from '../../parts/words';
import { useDeskState } from '../context';
import { Found } from './Found';
import { type ReadBack } from './queries';
import styles from './text.module.css';
import { useBox } from './useBox';
import { useReading } from './useReading';

/** Paste what a box shows: it is judged at once, and may be kept with its run. */
export function ReadBackPage() {
  const { name, desk } = useDeskState();
  const device = useBox();
  const mayStage = useMay('stage');
  const { text, setText, read, back, keep } = useReading(device);
  const box = desk.plan.devices[device];
  if (!box) return <Notice title="This box has been removed" detail="Choose another on Devices." />;
  const called = box.name ?? box.role;
  return (
    <div className={`fill ${styles.reading}`}>
      <header className="line wrap below">
        <h1>Read {called} back</h1>
        <Link to={deskPath(name, `bench/${device}`)}>Its run sheet</Link>
        <Link to={deskPath(name, `text/${device}`)}>As text</Link>
        <span className="fill" />
        {mayStage && (
          <Press
            variant="contained"
            loading={keep.isPending}
            waits={back ? '' : 'paste what the box shows'}
            onClick={() => keep.mutate(text)}
          >
            Keep with the run
          </Press>
        )}
        {text && <Button onClick={() => setText('')}>Empty it</Button>}
      </header>
      {keep.error && <Trouble>{keep.error.message}</Trouble>}
      {keep.data && (
        <p role="status">
          What was found is kept in the record of the run; the text and its secrets are not.
        </p>
      )}
      <div className={`fill ${styles.halves}`}>
        <div className={styles.side}>
          {back && <Understood back={back} />}
          <label className={back ? styles.again : styles.paste}>
            <span className="quiet small">
              {back
                ? 'Paste again to replace it'
                : 'Paste what it shows: its configuration, the output of status commands, a page of its own, a log'}
            </span>
            <Lines
              autoFocus
              className="mono"
              value={text}
              spellCheck={false}
              aria-label={`What ${called} shows`}
              onChange={(event) => setText(event.target.value)}
              onFocus={(event) => back && event.target.select()}
            />
          </label>
        </div>
        <div className={`scroll ${styles.side}`} aria-label="What was found" role="region" tabIndex={0}>
          {read.error && <Trouble>{read.error.message}</Trouble>}
          {back ? (
            <Found linked back={back} called={called} device={device} />
          ) : (
            !read.error && <Waiting called={called} />
          )}
        </div>
      </div>
    </div>
  );
}

function Waiting({ called }: { called: string }) {
  return (
    <>
      <h3>Nothing pasted yet</h3>
      <p>
        Each address, mask, range, name, VLAN and MAC in the text is held against what is planned for {called}
        , whoever made it. Nothing is kept until you say so, and no secret ever is.
      </p>
    </>
  );
}

/** The text as it was understood, each piece that was recognised underlined by what became of it. */
function Understood({ back }: { back: ReadBack }) {
  const odd = new Set([...back.differs, ...back.unplanned].map((one) => one.line));
  return (
    <div
      className={`scroll mono ${styles.understood}`}
      tabIndex={0}
      aria-label="The text as it was understood"
    >
      {back.lines.map((line) => (
        <div key={line.number} id={`line-${line.number}`} data-odd={odd.has(line.number)}>
          <span className={styles.no}>{line.number}</span>
          <Marked
            text={line.text}
            marks={back.marks.filter((mark) => mark.line === line.number)}
            planned={back.as_planned.filter((one) => one.line === line.number).map((one) => one.value)}
          />
        </div>
      ))}
    </div>
  );
}

function Marked({ text, marks, planned }: { text: string; marks: ReadBack['marks']; planned: string[] }) {
  const places = [...marks].sort((a, b) => a.first - b.first);
  if (places.length === 0) {
    for (const value of planned) {
      const first = value ? text.indexOf(value) : -1;
      if (first >= 0)
        places.push({ line: 0, first, last: first + value.length, kind: '', verdict: 'planned' });
    }
    places.sort((a, b) => a.first - b.first);
  }
  const parts: React.ReactNode[] = [];
  let at = 0;
  for (const mark of places) {
    if (mark.first < at) continue;
    parts.push(text.slice(at, mark.first));
    parts.push(
      <mark key={mark.first} data-verdict={mark.verdict}>
        {text.slice(mark.first, mark.last)}
      </mark>,
    );
    at = mark.last;
  }
  parts.push(text.slice(at));
  return <span>{parts}</span>;
}
