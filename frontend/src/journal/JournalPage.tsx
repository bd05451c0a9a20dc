import Button from '@mui/material/Button';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import { useInfiniteQuery, useMutation } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { api, body, type Schemas } from '../api/client';
import { SelectInline } from '../parts/controls';
import { Heads } from '../parts/Heads';
import { SeverityMark } from '../parts/Marks';
import { Trouble } from '../parts/Trouble';
import { count, deskPath, moment } from '../parts/words';
import styles from './journal.module.css';

/** Who did what, when and why: append-only, and checked by its chain of digests. */
export function JournalPage() {
  const [search, setSearch] = useSearchParams();
  const act = search.get('act') ?? '';
  const pages = useInfiniteQuery({
    queryKey: ['journal', act],
    initialPageParam: undefined as number | undefined,
    queryFn: async ({ pageParam }) =>
      body(await api.GET('/api/journal', { params: { query: { act, before: pageParam ?? null } } })),
    getNextPageParam: (last) => (last.lines.length === 200 ? last.lines.at(-1)?.number : undefined),
  });
  const check = useMutation({ mutationFn: async () => body(await api.GET('/api/journal/check')) });
  if (pages.error)
    return (
      <div className="page">
        <h1>Journal</h1>
        <Trouble>{pages.error.message}</Trouble>
      </div>
    );
  if (!pages.data) return null;
  const lines = pages.data.pages.flatMap(({ lines }) => lines);
  return (
    <div className="page">
      <h1 className="sentence">
        Journal: show{' '}
        <SelectInline
          aria-label="Which lines"
          value={act}
          onChange={(event) =>
            setSearch(event.target.value ? { act: event.target.value } : {}, { replace: true })
          }
        >
          <option value="">everything</option>
          {pages.data.pages[0]?.acts.map((one) => (
            <option key={one} value={one}>
              {one}
            </option>
          ))}
        </SelectInline>
      </h1>
      <div className={`line far ${styles.check}`}>
        <Button variant="outlined" loading={check.isPending} onClick={() => check.mutate()}>
          Check the chain
        </Button>
        <Button variant="outlined" href="/api/journal/journal.jsonl" download>
          Save as JSON Lines
        </Button>
        <span role="status">
          {check.data && <Verdict checked={check.data} />}
          {!check.data && (
            <span className="quiet">
              Lines are never changed: each is chained to the one before, under a key.
            </span>
          )}
        </span>
        {check.error && <span role="alert">{check.error.message}</span>}
      </div>
      {lines.length === 0 ? (
        <p className="quiet">
          Nothing has been noted yet: readings of secrets, clearances and shipments will be.
        </p>
      ) : (
        <Table className={`card wide ${styles.lines}`}>
          <Heads of={['Line', 'When', 'Who', 'What', 'Site', 'Why']} />
          <TableBody>
            {lines.map((line) => (
              <Line key={line.number} line={line} />
            ))}
          </TableBody>
        </Table>
      )}
      {pages.hasNextPage && (
        <Button loading={pages.isFetchingNextPage} onClick={() => void pages.fetchNextPage()}>
          Older lines
        </Button>
      )}
    </div>
  );
}

function Line({ line }: { line: Schemas['JournalLine'] }) {
  const [customer = '', site = ''] = line.site.split('/');
  return (
    <TableRow>
      <TableCell className="mono">{line.number}</TableCell>
      <TableCell>{moment(line.at, true)}</TableCell>
      <TableCell title={line.address && `from ${line.address}`}>
        {line.by}
        {line.account && line.account !== line.by && <span className="quiet"> {line.account}</span>}
      </TableCell>
      <TableCell>
        <b>{line.act}</b> {line.what}
      </TableCell>
      <TableCell>{line.site && <Link to={deskPath({ customer, site })}>{line.site}</Link>}</TableCell>
      <TableCell>{line.why}</TableCell>
    </TableRow>
  );
}

function Verdict({ checked }: { checked: Schemas['Checked'] }) {
  if (checked.fault) {
    return (
      <b style={{ color: 'var(--stop)' }}>
        <SeverityMark of="stop" /> The journal has been tampered with. {checked.fault}
      </b>
    );
  }
  return (
    <span>
      <SeverityMark of="clear" /> {count(checked.lines, 'line')}, the chain is whole. Its head is{' '}
      <span className="mono">
        {checked.lines}:{checked.digest.slice(0, 16)}…
      </span>
    </span>
  );
}
