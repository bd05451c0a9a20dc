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
    ['Space evenly', spaced(marks)],
    ['Close up', closedUp(marks)],
  ] as const;
  return (
    <div className={`line wrap small ${styles.together}`} role="toolbar" aria-label="Chosen hosts">
      <b>{marks.length} hosts</b>
      {ways.map(([words, operations]) => (
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
      <span className="quiet">drag or arrow one, all move</span>
    </div>
  );
}
