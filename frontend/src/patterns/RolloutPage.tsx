import Button from '@mui/material/Button';
import { Link } from 'react-router';
import { useUndoBatch } from '../findings/queries';
import { useMay } from '../frame/person';
import { Line, Lines, LinkButton, SelectInline, Tick, Press } from '../parts/controls';
import { Trouble } from '../parts/Trouble';
import { count } from '../parts/words';
import styles from './patterns.module.css';
import { RolloutPreview } from './RolloutPreview';
import { NEW, useRollout, type Rolling } from './useRollout';

const GROW = [
  'just the size that is needed',
  'twice the size',
  'four times the size',
  'eight times',
  'sixteen times',
];

/** Many sites at once: a pattern, the blocks of a customer, and a table of sites; shown whole before anything is saved. */
export function RolloutPage() {
  const rolling = useRollout();
  const { preview, make, customer, code, fresh, waiting } = rolling;
  return (
    <div className="page">
      <Wanted rolling={rolling} />
      <Where rolling={rolling} />
      {waiting.length > 0 && <Waiting rolling={rolling} />}
      <Doing rolling={rolling} />
      {preview.data && <RolloutPreview shown={preview.data} customer={code} made={make.isSuccess} />}
      {customer.error && code !== '' && !fresh && <Trouble>{customer.error.message}</Trouble>}
    </div>
  );
}

/** What is wanted, as a sentence. */
function Wanted({ rolling }: { rolling: Rolling }) {
  const { customers, ready, key, code, fresh, growth } = rolling;
  return (
    <h1 className="sentence">
      Make sites of{' '}
      <SelectInline
        aria-label="Customer"
        value={fresh ? NEW : code}
        onChange={(event) => rolling.chooseCustomer(event.target.value)}
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
          onChange={(event) => rolling.typeCode(event.target.value)}
        />
      )}{' '}
      from{' '}
      <SelectInline
        aria-label="Pattern"
        value={key}
        onChange={(event) => rolling.choosePattern(event.target.value)}
      >
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
        onChange={(event) => rolling.setGrowth(Number(event.target.value))}
      >
        {GROW.map((words, number) => (
          <option key={words} value={number}>
            {words}
          </option>
        ))}
      </SelectInline>
      .
    </h1>
  );
}

/** The blocks that sites come out of, and the table of further sites. */
function Where({ rolling }: { rolling: Rolling }) {
  const { customer, blocks, reserved, table } = rolling;
  return (
    <div className={styles.inputs}>
      <label className="field">
        Out of the blocks
        <Line
          className="mono"
          aria-label="Blocks"
          placeholder="10.80.0.0/16"
          maxLength={1000}
          value={blocks}
          onChange={(event) => rolling.setBlocks(event.target.value)}
        />
      </label>
      <label className="field">
        But not out of
        <Line
          className="mono"
          aria-label="Reserved parts"
          placeholder={customer.data?.defaults.reserved.join(' ') || 'nothing reserved beside'}
          maxLength={1000}
          value={reserved}
          onChange={(event) => rolling.setReserved(event.target.value)}
        />
      </label>
      <label className={`field ${styles.table}`}>
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
          onChange={(event) => rolling.setTable(event.target.value)}
        />
      </label>
    </div>
  );
}

/** Sites that are there already without segments, and whether each is taken along. */
function Waiting({ rolling: { waiting, left, setLeft } }: { rolling: Rolling }) {
  const toggle = (site: string) => {
    const next = new Set(left);
    if (!next.delete(site)) next.add(site);
    setLeft(next);
  };
  return (
    <details className="below" open={waiting.length <= 12}>
      <summary>
        {count(waiting.length - left.size, 'site')} of {waiting.length} without segments taken along
      </summary>
      <LinkButton onClick={() => setLeft(left.size === 0 ? new Set(waiting) : new Set())}>
        {left.size === 0 ? 'none of them' : 'all of them'}
      </LinkButton>
      <div className={`line stretch far wrap scroll ${styles.codes}`}>
        {waiting.map((site) => (
          <label key={site}>
            <Tick checked={!left.has(site)} onChange={() => toggle(site)} /> {site}
          </label>
        ))}
      </div>
    </details>
  );
}

/** Looking at what would be made, making it, and taking it back. */
function Doing({ rolling }: { rolling: Rolling }) {
  const mayPlan = useMay('plan');
  const undo = useUndoBatch();
  const { pattern, code, blocks, wish, preview, make } = rolling;
  const shown = preview.data;
  const error = preview.error ?? make.error ?? undo.error;
  return (
    <div className="line far">
      <Press
        variant="contained"
        waits={
          !pattern || code === '' || blocks.trim() === '' || make.isSuccess
            ? 'choose a pattern, a customer and its blocks'
            : ''
        }
        loading={preview.isPending}
        onClick={() => preview.mutate(wish)}
      >
        See what it makes
      </Press>
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
      {error && <Trouble>{error.message}</Trouble>}
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
  );
}
