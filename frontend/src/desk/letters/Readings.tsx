import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import type { Schemas } from '../../api/client';
import { Select } from '../../parts/controls';
import styles from './letters.module.css';

export type Found = Schemas['ReadShown'];

const SURE = { said: '', follows: 'follows from the rest', open: '' };

/** What was read, a row for each value: what it comes to, what is to be chosen, or why it is not taken. */
export function Readings(props: {
  found: Found[];
  name: (one: Found) => string;
  chosen?: Record<string, string>;
  onChoose?: (field: string, value: string) => void;
}) {
  const { found, name, chosen = {}, onChoose } = props;
  if (found.length === 0) return null;
  return (
    <Table className={`above ${styles.readings}`}>
      <TableBody>
        {found.map((one) => (
          <TableRow key={one.field} data-problem={one.problem !== ''}>
            <TableCell component="th" scope="row">
              {name(one)}
            </TableCell>
            <TableCell className="mono">
              {one.sure === 'open' && onChoose ? (
                <Select
                  aria-label={`Which is the ${name(one).toLowerCase()}`}
                  value={chosen[one.field] ?? ''}
                  onChange={(event) => onChoose(one.field, event.target.value)}
                >
                  <option value="">which one?</option>
                  {one.others?.map(({ text }) => (
                    <option key={text} value={text}>
                      {text}
                    </option>
                  ))}
                </Select>
              ) : (
                one.text
              )}
            </TableCell>
            <TableCell>
              {one.problem ||
                (one.sure === 'open' && !chosen[one.field] ? 'has two readings: choose' : one.echo)}{' '}
              <span className="quiet">{SURE[one.sure ?? 'said']}</span>
            </TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}
