import type { ReactNode } from 'react';
import { Link } from 'react-router';
import type { Schemas } from '../../api/client';
import { deskPath } from '../../parts/words';
import { useDeskState } from '../context';
import type { Node } from './queries';
import styles from './traffic.module.css';

/** The way of a packet from box to box, what decided at each, where it stops, and the way back under it; `children` is
 *  what was really sent. */
export function PathPicture({
  path,
  agrees,
  children,
}: {
  path: Schemas['PathShown'];
  agrees: boolean;
  children?: ReactNode;
}) {
  return (
    <div className={styles.path} data-amiss={agrees ? undefined : true}>
      <div className="quiet small">There</div>
      {children}
      <ol className={styles.way} aria-label="The way there">
        {path.nodes.map((node, place) => (
          <PathNode
            key={`${place} ${node.name}`}
            node={node}
            last={place === path.nodes.length - 1 && !path.wall}
          />
        ))}
        {path.wall && (
          <li className={styles.wall}>
            <span aria-hidden className={styles.bricks} />
            <b>{path.wall}</b>
          </li>
        )}
      </ol>
      {(path.back.length > 0 || path.back_wall) && (
        <>
          <div className="quiet small">And back</div>
          <ol className={`${styles.way} ${styles.back}`} aria-label="The way back">
            {path.back.map((node, place) => (
              <PathNode
                key={`${place} ${node.name}`}
                node={node}
                last={place === path.back.length - 1 && !path.back_wall}
              />
            ))}
            {path.back_wall && (
              <li className={styles.wall}>
                <span aria-hidden className={styles.bricks} />
                <b>{path.back_wall}</b>
              </li>
            )}
          </ol>
        </>
      )}
    </div>
  );
}

function PathNode({ node, last }: { node: Node; last: boolean }) {
  return (
    <li className={styles.node} data-kind={node.kind}>
      <div className={styles.nodeBox}>
        <b>{node.name}</b>
        {node.addresses && <div className="mono small">{node.addresses}</div>}
        {node.kind === 'bridge' && <div className="quiet small">passes it on</div>}
      </div>
      {!last && (
        <div className={styles.link}>
          <span className="quiet small">{node.link}</span>
        </div>
      )}
      {node.kind !== 'bridge' && node.lines.length > 0 && (
        <ul className={styles.lines}>
          {node.lines.map((line) => (
            <PathLine key={`${line.does} ${line.path}`} line={line} />
          ))}
        </ul>
      )}
    </li>
  );
}

function PathLine({ line }: { line: Schemas['LineShown'] }) {
  const { name } = useDeskState();
  const parts = line.path.split('/');
  const entry = parts[1] === 'devices' && parts.length > 4;
  const stage = parts[1] === 'devices' ? 'devices' : 'addresses';
  return (
    <li>
      {line.does}
      {line.because && (
        <>
          <br />
          {line.path ? (
            <Link className="small" to={entry ? `#${line.path}` : `${deskPath(name, stage)}#${line.path}`}>
              {line.because}
            </Link>
          ) : (
            <span className="quiet small">{line.because}</span>
          )}
        </>
      )}
    </li>
  );
}
