import Alert from '@mui/material/Alert';
import type { ReactNode } from 'react';
import { SeverityMark } from './Marks';

/** What could not be done, and why. */
export function Trouble({ children }: { children: ReactNode }) {
  return (
    <Alert severity="error" icon={<SeverityMark of="stop" size={14} />}>
      {children}
    </Alert>
  );
}
