import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Button from '@mui/material/Button';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { useCustomers } from '../api/queries';
import { useCustomer } from '../customers/queries';
import { useUndoBatch } from '../findings/queries';
import { useMay } from '../frame/person';
import { SeverityMark } from '../parts/Marks';
import page from '../parts/page.module.css';
import { count, deskPath } from '../parts/words';
import styles from './patterns.module.css';
import { usePatterns, usePreviewRollout, useRollOut, type Rollout, type Wish } from './queries';
import { Line, Lines, LinkButton, SelectInline, Tick } from '../parts/controls';

/** What stands in the choice of customers for one that has no sites yet; no code can be like it. */
const NEW = '~';

const GROW = [
  'just the size that is needed',
  'twice the size',
  'four times the size',
  'eight times',
  'sixteen times',
];

/** Many sites at once: a pattern, the blocks of a customer, and a table of sites; shown whole before anything is saved. */
export function RolloutPage() {
  const mayPlan = useMay('plan');
  const [search, setSearch] = useSearchParams();
  const patterns = usePatterns();
  const customers = useCustomers(true);
  const preview = usePreviewRollout();
  const make = useRollOut();
  const undo = useUndoBatch();
  const ready = (patterns.data ?? []).filter((pattern) => pattern.version > 0);
  const key = search.get('pattern') ?? ready[0]?.key ?? '';
  const pattern = ready.find((one) => one.key === key);
  const code = search.get('customer') ?? '';
  const fresh = search.has('new');
  const customer = useCustomer(fresh ? '' : code);
  const [typed, setTyped] = useState<string | null>(null);
  const [reserved, setReserved] = useState<string | null>(null);
  const [growth, setGrowth] = useState(0);
  const [table, setTable] = useState('');
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const blocks = typed ?? customer.data?.blocks.map((one) => one.block).join(' ') ?? '';
  const waiting = customer.data?.without_segments ?? [];
  const wish: Wish = {
    pattern: key,
    version: pattern?.version ?? 1,
    customer: customer.data?.code ?? code,
    blocks: list(blocks),
    reserved: list(reserved ?? ''),
    growth,
    sites: waiting.filter((site) => !left.has(site)),
    table,
  };
  const choose = (field: string) => (event: { target: { value: string } }) => {
    const next = new URLSearchParams(search);
    next.set(field, event.target.value);
    setSearch(next, { replace: true });
    changed();
  };
  const changed = () => {
    preview.reset();
    make.reset();
  };
  const shown = preview.data;
  const error = preview.error ?? make.error ?? undo.error;
  return (
    <div className={page.page}>
      <h1 className={page.sentence}>
        Make sites of{' '}
        <SelectInline
          aria-label="Customer"
          value={fresh ? NEW : code}
          onChange={(event) => {
            const next = new URLSearchParams(search);
            const isNew = event.target.value === NEW;
            next.set('customer', isNew ? '' : event.target.value);
            if (isNew) next.set('new', '');
            else next.delete('new');
            setSearch(next, { replace: true });
            setTyped(null);
            setLeft(new Set());
            changed();
          }}
        >
          <option value="">choose a customer</option>
          <option value={NEW}>a new customer</option>
          {Object.entries(customers.data ?? {}).map(([one, name]) => (
            <option key={one} value={one}>
              {name}
            </option>
          ))}
        </SelectInline>{' '}
        {fresh && (
          <Line
            aria-label="Code of the new customer"
            className={styles.code}
            placeholder="its code"
            maxLength={40}
            value={code}
            onChange={choose('customer')}
          />
        )}{' '}
        from{' '}
        <SelectInline aria-label="Pattern" value={key} onChange={choose('pattern')}>
          {ready.length === 0 && <option value="">no pattern has a version yet</option>}
          {ready.map((one) => (
            <option key={one.key} value={one.key}>
              {one.name}, version {one.version}
            </option>
          ))}
        </SelectInline>
        , each with{' '}
        <SelectInline
          aria-label="Room to grow"
          value={growth}
          onChange={(event) => {
            setGrowth(Number(event.target.value));
            changed();
          }}
        >
          {GROW.map((words, number) => (
            <option key={words} value={number}>
              {words}
            </option>
          ))}
        </SelectInline>
        .
      </h1>
      <div className={styles.inputs}>
        <label>
          Out of the blocks
          <Line
            className="mono"
            aria-label="Blocks"
            placeholder="10.80.0.0/16"
            maxLength={1000}
            value={blocks}
            onChange={(event) => {
              setTyped(event.target.value);
              changed();
            }}
          />
        </label>
        <label>
          But not out of
          <Line
            className="mono"
            aria-label="Reserved parts"
            placeholder={customer.data?.defaults.reserved.join(' ') || 'nothing reserved beside'}
            maxLength={1000}
            value={reserved ?? ''}
            onChange={(event) => {
              setReserved(event.target.value);
              changed();
            }}
          />
        </label>
        <label className={styles.table}>
          Further sites, pasted from a spreadsheet with its header
          <Lines
            className="mono"
            aria-label="Table of sites"
            rows={4}
            maxLength={1_000_000}
            placeholder={
              'site;name;street;time_zone;ship_date;contact\nS01;Shop 1;1 High Street;Europe/Dublin;2027-03-04;Dana Reed'
            }
            value={table}
            onChange={(event) => {
              setTable(event.target.value);
              changed();
            }}
          />
        </label>
      </div>
      {waiting.length > 0 && (
        <details className={styles.waiting} open={waiting.length <= 12}>
          <summary>
            {count(waiting.length - left.size, 'site')} of {waiting.length} without segments taken along
          </summary>
          <LinkButton
            onClick={() => {
              setLeft(left.size === 0 ? new Set(waiting) : new Set());
              changed();
            }}
          >
            {left.size === 0 ? 'none of them' : 'all of them'}
          </LinkButton>
          <div className={styles.codes}>
            {waiting.map((site) => (
              <label key={site}>
                <Tick
                  checked={!left.has(site)}
                  onChange={() => {
                    const next = new Set(left);
                    if (!next.delete(site)) next.add(site);
                    setLeft(next);
                    changed();
                  }}
                />{' '}
                {site}
              </label>
            ))}
          </div>
        </details>
      )}
      <div className={styles.go}>
        <Button
          variant="contained"
          disabled={!pattern || code === '' || blocks.trim() === '' || make.isSuccess}
          loading={preview.isPending}
          onClick={() => preview.mutate(wish)}
        >
          See what it makes
        </Button>
        {shown && !make.isSuccess && mayPlan && (
          <Button
            variant="contained"
            color={shown.stops > 0 ? 'warning' : 'primary'}
            loading={make.isPending}
            onClick={() =>
              make.mutate({
                ...wish,
                runs: Object.fromEntries(shown.sites.map((site) => [site.site, site.run])),
              })
            }
          >
            Make {count(shown.sites.length, 'site')}
          </Button>
        )}
        {error && (
          <p role="alert" className={page.problem}>
            {error.message}
          </p>
        )}
        {make.data && (
          <p role="status">
            {undo.data
              ? `${count(undo.data.undone, 'site')} taken back.`
              : `${count(make.data.sites, 'site')} made. `}
            {!undo.data && (
              <LinkButton disabled={undo.isPending} onClick={() => undo.mutate(make.data.batch)}>
                Undo all of it
              </LinkButton>
            )}{' '}
            <Link to={`/outbound?customer=${encodeURIComponent(code)}`}>See them on Outbound</Link>
          </p>
        )}
      </div>
      {shown && <Preview shown={shown} customer={code} made={make.isSuccess} />}
      {customer.error && code !== '' && !fresh && (
        <p role="alert" className={page.problem}>
          {customer.error.message}
        </p>
      )}
    </div>
  );
}

function list(text: string): string[] {
  return text.split(/[\s,;]+/).filter(Boolean);
}

function Preview({ shown, customer, made }: { shown: Rollout; customer: string; made: boolean }) {
  const labels = [...new Set(shown.sites.flatMap((site) => site.segments.map((segment) => segment.label)))];
  return (
    <>
      <h2 className={styles.sum}>
        {shown.stops > 0 ? (
          <>
            <SeverityMark of="stop" size={16} /> {count(shown.stops, 'stop')} would be found
          </>
        ) : (
          <>
            <SeverityMark of="clear" size={16} /> No stop would be found
          </>
        )}
        <span className="quiet">
          {count(shown.sites.length, 'site')}, a /{shown.prefix} each
          {shown.findings_total > shown.stops &&
            `, ${count(shown.findings_total - shown.stops, 'other finding')}`}
        </span>
      </h2>
      {shown.refused.length > 0 && (
        <section aria-label="Rows not taken">
          {shown.refused.map((one) => (
            <p key={`${one.row} ${one.column}`} role="alert">
              <SeverityMark of="stop" size={12} /> Row {one.row}, {one.column}{' '}
              <span className="mono">{one.value}</span>: {one.problem}
            </p>
          ))}
        </section>
      )}
      <div className={styles.scroll}>
        <Table className={styles.made}>
          <TableHead>
            <TableRow>
              <TableCell component="th" scope="col">
                Site
              </TableCell>
              <TableCell component="th" scope="col">
                Run
              </TableCell>
              {labels.map((label) => (
                <TableCell component="th" key={label} scope="col">
                  {label}
                </TableCell>
              ))}
              <TableCell component="th" scope="col">
                Found
              </TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {shown.sites.slice(0, 400).map((site) => (
              <TableRow key={site.site}>
                <TableCell component="th" scope="row">
                  {made ? <Link to={deskPath({ customer, site: site.site })}>{site.name}</Link> : site.name}{' '}
                  <span className="quiet">
                    {site.site}
                    {site.new && ', new'}
                  </span>
                </TableCell>
                <TableCell className="mono">{site.run}</TableCell>
                {labels.map((label) => (
                  <TableCell key={label} className="mono">
                    {site.segments.find((segment) => segment.label === label)?.subnet}
                  </TableCell>
                ))}
                <TableCell>
                  {site.stops > 0 && (
                    <>
                      <SeverityMark of="stop" size={12} /> {site.stops}{' '}
                    </>
                  )}
                  {site.warns > 0 && (
                    <>
                      <SeverityMark of="warn" size={12} /> {site.warns}
                    </>
                  )}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
        {shown.sites.length > 400 && <p className="quiet">and {shown.sites.length - 400} more</p>}
      </div>
      {shown.findings.length > 0 && (
        <section aria-label="What would be found" className={styles.found}>
          {shown.findings.slice(0, 40).map((one, place) => (
            <p key={place}>
              <SeverityMark of={one.severity} size={12} /> <b>{one.site}</b> {one.message}
            </p>
          ))}
          {shown.findings_total > 40 && <p className="quiet">and {shown.findings_total - 40} more</p>}
        </section>
      )}
    </>
  );
}
