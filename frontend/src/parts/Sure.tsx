import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import type { ReactNode } from 'react';
import { Trouble } from './Trouble';

interface Props {
  title: string;
  yes: string;
  no: string;
  children: ReactNode;
  pending?: boolean;
  error?: Error | null;
  onYes: () => void;
  onNo: () => void;
}

/** A question before something goes away: what goes, what stays, and how it comes back. */
export function Sure({ title, yes, no, children, pending = false, error = null, onYes, onNo }: Props) {
  return (
    <Dialog open onClose={onNo} maxWidth="sm" slotProps={{ paper: { 'aria-label': title } }}>
      <DialogTitle>{title}</DialogTitle>
      <DialogContent>
        {children}
        {error && <Trouble>{error.message}</Trouble>}
      </DialogContent>
      <DialogActions>
        <Button onClick={onNo} autoFocus>
          {no}
        </Button>
        <Button variant="contained" color="error" loading={pending} onClick={onYes}>
          {yes}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
