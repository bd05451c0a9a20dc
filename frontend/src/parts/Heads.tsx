import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import type { ReactNode } from 'react';

/** The head of a table: what each column holds. */
export function Heads({ of }: { of: readonly ReactNode[] }) {
  return (
    <TableHead>
      <TableRow>
        {of.map((head, place) => (
          <TableCell component="th" scope="col" key={place}>
            {head}
          </TableCell>
        ))}
      </TableRow>
    </TableHead>
  );
}
