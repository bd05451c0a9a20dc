import Button from '@mui/material/Button';
import { useDeferredValue, useEffect, useState } from 'react';
import { Link } from 'react-router';
import { useMay } from '../../frame/person';
import { Lines, Press } from '../../parts/controls';
import { Notice } from '../../parts/Notice';
import { Trouble } from '../../parts/Trouble';
import { count, deskPath } from '../../parts/words';
import { useDeskState } from '../context';
import { useHardware } from '../devices/queries';
import { Digits } from './Digits';
import { Expected } from './Expected';
import { useKeepReadBack, useReadBack, type ReadBack } from './queries';
import styles from './text.module.css';
import { useBox } from './useBox';

/** Paste what a box shows: it is judged at once, and may be kept with its run. */
export function ReadBackPage() {
  const { name, desk } = useDeskState();
  const device = useBox();
  const mayStage = useMay('stage');
  const [text, setText] = useState('');
  const read = useReadBack(name, device);
  const keep = useKeepReadBack(name, device);
  const asked = useDeferredValue(text);
  const version = useHardware().data?.find(
    (one) => one.type.key === desk.plan.devices[device]?.type,
  )?.version;
  const { mutate, reset } = read;
  useEffect(() => {
    if (!asked.trim()) return reset();
    const soon = window.setTimeout(() => mutate(asked), 150);
    return () => window.clearTimeout(soon);
  }, [asked, desk.revision.number, version, mutate, reset]);
  const box = desk.plan.devices[device];
  if (!box) return <Notice title="This box has been removed" detail="Choose another on Devices." />;
  const back = text.trim() ? read.data : undefined;
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
            <Found back={back} called={called} device={device} />
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

/** The departures first, each with its line; then what is as planned. */
function Found({ back, called, device }: { back: ReadBack; called: string; device: string }) {
  const departures = back.differs.length + back.missing.length + back.unplanned.length;
  return (
    <>
      {back.about && (
        <p role="alert" className={`note ${styles.about}`}>
          <b>This looks like the text of {back.about}</b>, not of {called}.
        </p>
      )}
      <p role="status" className={styles.sum} data-good={departures === 0}>
        {departures === 0
          ? `As planned: ${count(back.as_planned.length, 'value')} seen, nothing otherwise.`
          : `${count(departures, 'departure')}, ${count(back.as_planned.length, 'value')} as planned.`}{' '}
        <span className="quiet small">
          {count(back.unread, 'line')} not understood
          {back.own_language ? '; read in its own language' : ''}.
        </span>
      </p>
      {back.differs.length > 0 && (
        <section aria-label="Other than planned">
          <h3>Other than planned</h3>
          <ul className={styles.found}>
            {back.differs.map((one, index) => (
              <li key={index}>
                <Line number={one.line} /> <b>{one.what}</b>
                <Digits planned={one.planned} seen={one.seen} />
                <div className="quiet">{one.why}</div>
              </li>
            ))}
          </ul>
        </section>
      )}
      {back.missing.length > 0 && (
        <section aria-label="Planned and not seen">
          <h3>Planned and not seen</h3>
          <ul className={styles.found}>
            {back.missing.map((one, index) => (
              <li key={index}>
                {one.what} <b className="mono">{one.value || 'in the safe'}</b>
              </li>
            ))}
          </ul>
        </section>
      )}
      {back.unplanned.length > 0 && (
        <section aria-label="Seen and not planned">
          <h3>Seen and not planned</h3>
          <ul className={styles.found}>
            {back.unplanned.map((one, index) => (
              <li key={index}>
                <Line number={one.line} /> <b className="mono">{one.value}</b>
                <div className="quiet">{one.why}</div>
                {one.kind !== 'secret' && one.kind !== 'line' && (
                  <Expected device={device} value={one.value} />
                )}
              </li>
            ))}
          </ul>
        </section>
      )}
      {back.as_planned.length > 0 && (
        <details>
          <summary>{count(back.as_planned.length, 'value')} as planned</summary>
          <ul className={styles.found}>
            {back.as_planned.map((one, index) => (
              <li key={index}>
                <Line number={one.line} /> <span className="mono">{one.value}</span>{' '}
                <span className="quiet small mono">{one.path}</span>
              </li>
            ))}
          </ul>
        </details>
      )}
    </>
  );
}

function Line({ number }: { number: number }) {
  return (
    <a className={styles.number} href={`#line-${number}`}>
      line {number}
    </a>
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
