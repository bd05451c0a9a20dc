import Button from '@mui/material/Button';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import type { Schemas } from '../../api/client';
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
                <span
                  role="group"
                  aria-label={`Which is the ${name(one).toLowerCase()}`}
                  className="line wrap"
                >
                  {one.others?.map(({ text }) => (
                    <Button
                      key={text}
                      size="small"
                      variant={chosen[one.field] === text ? 'contained' : 'outlined'}
                      aria-pressed={chosen[one.field] === text}
                      onClick={() => onChoose(one.field, text)}
                    >
                      {text}
                    </Button>
                  ))}
                </span>
              ) : (
                one.text
              )}
            </TableCell>
            <TableCell>
              {one.problem ||
                (one.sure === 'open' && !chosen[one.field] ? 'has two readings: choose' : said(one))}{' '}
              <span className="quiet">{SURE[one.sure ?? 'said']}</span>
            </TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Table>
  );
}

/** What a value comes to, where that says more than the value. */
function said(one: Found): string {
  return one.echo === one.text ? '' : one.echo;
}
