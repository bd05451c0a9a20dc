import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useEffect, useState } from 'react';
import type { Failure, Operation, Schemas } from '../../api/client';
import { readColumn } from '../../api/queries';
import { Press } from '../../parts/controls';
import { Trouble } from '../../parts/Trouble';
import { count } from '../../parts/words';
import { useDeskState, useSteps } from '../context';
import { Readings, type Found } from './Readings';

/** A column of values pasted into a table, read row by row; taken only when it was looked at. */
export function ColumnDialog(props: {
  entries: Schemas['TypedEntry'][];
  names: string[];
  left: number;
  onClose: () => void;
}) {
  const { entries, names, left, onClose } = props;
  const { name } = useDeskState();
  const [found, setFound] = useState<Found[]>([]);
  const [problem, setProblem] = useState('');
  useEffect(() => {
    readColumn(name, entries).then(setFound, (error: Failure) => setProblem(error.message));
  }, [name, entries]);
  const operations = found.flatMap((one) => one.operations);
  const places = new Map(entries.map((entry, place) => [entry.path, names[place] ?? '']));
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle>{count(entries.length, 'value')} from the clipboard</DialogTitle>
      <DialogContent>
        {problem && <Trouble>{problem}</Trouble>}
        {left > 0 && (
          <p role="status">
            {count(left, 'more line has', 'more lines have')} no row to go to: paste them as rows, or add
            hosts first.
          </p>
        )}
        <Readings found={found} name={(one) => places.get(one.field) ?? one.field} />
      </DialogContent>
      <Taking operations={operations} onClose={onClose} />
    </Dialog>
  );
}

function Taking(props: { operations: Operation[]; onClose: () => void }) {
  const { operations, onClose } = props;
  const { keep } = useSteps();
  return (
    <DialogActions>
      <Button onClick={onClose}>Leave it</Button>
      <Press
        variant="contained"
        waits={operations.length === 0 ? 'nothing was read yet' : ''}
        onClick={() => {
          keep(operations);
          onClose();
        }}
      >
        Take what was read
      </Press>
    </DialogActions>
  );
}
