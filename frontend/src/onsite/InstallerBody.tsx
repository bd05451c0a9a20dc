import type { ReactNode } from 'react';
import type { Schemas } from '../api/client';
import { moment } from '../parts/words';
import styles from './onsite.module.css';

type Page = Schemas['InstallerPage'];
type Answers = Record<string, Schemas['AnswerTold']>;

interface Props {
  page: Page;
  technician: string;
  answers: Answers;
  picture?: ReactNode;
  /** What stands under a test, such as the way to answer it. */
  under?: (test: Page['tests'][number]) => ReactNode;
}

/** The installer's page in the order of the work; the same on paper, on Handover and on a telephone. */
export function InstallerBody({ page, technician, answers, picture, under }: Props) {
  return (
    <>
      {page.place && (
        <p>
          <b>Where:</b> {page.place}
        </p>
      )}
      <h2>1. Unpack</h2>
      <ul>
        {page.boxes.map((box) => (
          <li key={box.name}>
            <b>{box.name}</b>: {box.looks}
            {box.where && `; goes to ${box.where}`}
          </li>
        ))}
      </ul>
      <h2>2. Plug in, in this order</h2>
      {picture}
      <ol>
        {page.cables.map((cable) => (
          <li key={`${cable.box} ${cable.port}`}>
            {cable.cable && <b>{cable.cable}: </b>}
            port <b className="mono">{cable.port}</b> of <b>{cable.box}</b>, the other end into{' '}
            {cable.goes_to}
          </li>
        ))}
      </ol>
      {page.sockets.length > 0 && (
        <>
          <p>Free for people to plug in:</p>
          <ul>
            {page.sockets.map((socket) => (
              <li key={socket.box + socket.use}>
                <b className="mono">{socket.ports}</b> of <b>{socket.box}</b>: {socket.use}
              </li>
            ))}
          </ul>
        </>
      )}
      {page.leave_empty.length > 0 && <p>Leave empty: {page.leave_empty.join('; ')}.</p>}
      <p>Then the power:</p>
      <ul>
        {page.boxes
          .filter((box) => box.power)
          .map((box) => (
            <li key={box.name}>
              <b>{box.name}</b>: {box.power}
            </li>
          ))}
      </ul>
      {page.lights.length > 0 && (
        <>
          <h2>3. Wait five minutes, then look at the lights</h2>
          <ul>
            {page.lights.map((light) => (
              <li key={light.box + light.name}>
                {light.box}, <b>{light.name}</b>: {light.expect}
              </li>
            ))}
          </ul>
        </>
      )}
      {page.tests.length > 0 && (
        <>
          <h2>4. Try it</h2>
          <ol>
            {page.tests.map((test) => (
              <li key={test.key}>
                {test.text}
                <Answered answer={answers[test.key]} />
                {under?.(test)}
              </li>
            ))}
          </ol>
        </>
      )}
      <h2>If it is not so, ring</h2>
      <ul>
        {page.call.map((line) => (
          <li key={line}>{withNumbers(line)}</li>
        ))}
        {technician && <li>Your technician: {technician}</li>}
      </ul>
    </>
  );
}

function Answered({ answer }: { answer: Schemas['AnswerTold'] | undefined }) {
  if (!answer) return null;
  return (
    <div className={styles.answered} data-works={answer.works}>
      {answer.works ? '✓ works' : '✕ does not work'}
      {answer.note && `: ${answer.note}`}{' '}
      <span className="quiet">
        {answer.name}, {moment(answer.at)}
      </span>
    </div>
  );
}

/** A line with its telephone numbers as links that ring them. */
function withNumbers(line: string): ReactNode {
  return line.split(/(\+?\d[\d ()/-]{5,}\d)/).map((part, index) =>
    index % 2 === 1 ? (
      <a key={index} href={`tel:${part.replace(/[^\d+]/g, '')}`}>
        {part}
      </a>
    ) : (
      part
    ),
  );
}
