import Button from '@mui/material/Button';
import type { Operation } from '../api/client';
import { closedUp, spaced, type Mark } from './marks';
import styles from './ruler.module.css';

/** What several chosen hosts can do together. */
export function Together(props: {
  marks: Mark[];
  onMove: (operations: Operation[]) => void;
  onShow: (operations: Operation[]) => void;
  onDrop: () => void;
  onLetGo: () => void;
}) {
  const { marks, onMove, onShow, onDrop, onLetGo } = props;
  const ways = [
    { words: 'Space evenly', operations: spaced(marks), done: 'they are spaced evenly' },
    { words: 'Close up', operations: closedUp(marks), done: 'nothing is free between them' },
  ];
  const idle = ways.filter(({ operations }) => operations.length === 0).map(({ done }) => done);
  return (
    <div className={`line wrap small ${styles.together}`} role="toolbar" aria-label="Chosen hosts">
      <b>{marks.length} hosts</b>
      {ways.map(({ words, operations }) => (
        <Button
          key={words}
          disabled={operations.length === 0}
          onMouseEnter={() => onShow(operations)}
          onMouseLeave={onDrop}
          onClick={() => onMove(operations)}
        >
          {words}
        </Button>
      ))}
      <Button onClick={onLetGo}>Let go</Button>
      <span className="quiet">drag one or press an arrow: all of them move</span>
      {idle.length > 0 && (
        <span className="quiet" role="status">
          {marks.length < 3 ? 'two have nothing between them to space' : idle.join('; ')}
        </span>
      )}
    </div>
  );
}
