import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { Press } from '../../parts/controls';

/** Why a step is skipped, or what trouble there was: a few words before it is recorded. */
export function Noting(props: {
  result: 'skipped' | 'failed';
  pending: boolean;
  onRecord: (note: string) => void;
  onClose: () => void;
}) {
  const { result, pending, onRecord, onClose } = props;
  const [note, setNote] = useState('');
  const label = result === 'skipped' ? 'Why it is skipped' : 'What trouble there was';
  return (
    <form
      className="line"
      onSubmit={(event) => {
        event.preventDefault();
        onRecord(note);
      }}
      onKeyDown={(event) => event.key === 'Escape' && onClose()}
    >
      <TextField
        autoFocus
        fullWidth
        label={label}
        value={note}
        onChange={(event) => setNote(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 400 } }}
      />
      <Press
        type="submit"
        variant="contained"
        waits={note.trim().length < 3 ? 'write a few words' : ''}
        loading={pending}
      >
        {result === 'skipped' ? 'Skip' : 'Note trouble'}
      </Press>
      <Button onClick={onClose}>Leave it open</Button>
    </form>
  );
}
