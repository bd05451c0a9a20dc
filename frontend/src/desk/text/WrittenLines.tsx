import Button from '@mui/material/Button';
import { useState } from 'react';
import type { SiteName } from '../../api/queries';
import { useMay } from '../../frame/person';
import { copy, copySecret } from '../../parts/clipboard';
import { count } from '../../parts/words';
import { portions, secretsIn, textOf, toldBy } from './lines';
import { secretsOf, type Written, type WrittenLine } from './queries';
import styles from './text.module.css';

interface Props {
  name: SiteName;
  written: Written;
  lines: WrittenLine[];
}

/** Lines to paste, in portions that a console takes, each with its key. */
export function WrittenLines({ name, written, lines }: Props) {
  return (
    <>
      {portions(lines, written.lines_at_once).map((portion, index) => (
        <Portion key={index} name={name} lines={portion} number={index + 1} />
      ))}
    </>
  );
}

function Portion({ name, lines, number }: { name: SiteName; lines: WrittenLine[]; number: number }) {
  const mayRead = useMay('read');
  const [said, setSaid] = useState('');
  const secrets = secretsIn(lines);
  const unknown = lines.some((line) => line.pieces.some((piece) => piece.unknown));
  const put = async () => {
    setSaid('');
    try {
      if (secrets.length === 0 || !mayRead) {
        const done = await copy(lines.map(textOf).join('\n') + '\n');
        return setSaid(done ? 'Copied' : 'Not copied: the browser refuses');
      }
      const read = await secretsOf(name, secrets);
      const done = await copySecret(lines.map((line) => toldBy(line, read)).join('\n') + '\n');
      setSaid(done ? 'Copied with its secrets, for 30 seconds' : 'Not copied: the browser refuses');
    } catch (error) {
      setSaid((error as Error).message);
    }
  };
  const what = `portion ${number}, ${lines[0]?.part ?? ''}`;
  return (
    <section className={styles.portion} aria-label={what}>
      <div className="line apart">
        <span className="quiet small">
          {lines[0]?.part}, {count(lines.length, 'line')}
          {unknown && <b className={styles.unknown}> with values that are not known yet</b>}
        </span>
        <span className="line">
          {said && (
            <span role="status" className="quiet small">
              {said}
            </span>
          )}
          <Button
            variant="outlined"
            size="small"
            data-copy={what}
            aria-label={`Copy ${what}`}
            onClick={() => void put()}
          >
            {secrets.length > 0 && mayRead ? 'Copy with secrets' : 'Copy'}
          </Button>
        </span>
      </div>
      {lines.at(-1)?.loses && (
        <p className={styles.loses}>
          <b>The laptop loses the box with the last line.</b> That is expected: go on as the run sheet says.
        </p>
      )}
      <pre className={styles.code} tabIndex={0} aria-label={`Text of ${what}`}>
        {lines.map((line, index) => (
          <span key={index}>
            {line.pieces.map((piece, at) =>
              piece.path || piece.secret ? (
                <span
                  key={at}
                  title={piece.what}
                  className={piece.unknown ? styles.unknown : piece.secret ? styles.secret : styles.value}
                >
                  {piece.text}
                </span>
              ) : (
                piece.text
              ),
            )}
            {'\n'}
          </span>
        ))}
      </pre>
    </section>
  );
}
