import Button from '@mui/material/Button';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { Failure } from '../api/client';
import { useMay } from '../frame/person';
import { Line, Lines, Select } from '../parts/controls';
import { SeverityMark } from '../parts/Marks';
import { Notice } from '../parts/Notice';
import { Trouble } from '../parts/Trouble';
import { Unfolding } from '../parts/Unfolding';
import { count, dated, deskPath } from '../parts/words';
import { putCustomerAway, renameCustomer, useRegister } from '../register/queries';
import styles from './customers.module.css';
import { MeantOtherwise } from './MeantOtherwise';
import { useCustomer, useSaveCustomer, type Customer } from './queries';

/** One customer: its blocks with the room that is left, groups, patterns and sites, and what is usual there. */
export function CustomerPage() {
  const { code = '' } = useParams();
  const customer = useCustomer(code);
  if (customer.error) {
    return <Notice title={`${code} cannot be shown`} detail={customer.error.message} />;
  }
  if (!customer.data) return null;
  return <Shown key={JSON.stringify(customer.data.defaults)} customer={customer.data} />;
}

function Shown({ customer }: { customer: Customer }) {
  const { code, name } = customer;
  const here = encodeURIComponent(code);
  const mayPlan = useMay('plan');
  return (
    <div className="page">
      <div className={`line baseline far below`}>
        <h1>{name}</h1>
        <span className="mono">{code}</span>
        {mayPlan && <Called customer={customer} />}
        <span className="end" />
        {mayPlan && <Link to={`/new?customer=${here}`}>New site</Link>}
        <Link to={`/outbound?customer=${here}`}>{count(customer.sites.length, 'site')} on Outbound</Link>
        <Link to={`/questions?customer=${here}`}>Open questions</Link>
        <Link to={`/rollout?customer=${here}`}>Many sites at once</Link>
      </div>
      <div className={styles.columns}>
        <div>
          <Blocks customer={customer} />
          <section className="card part below" aria-label="Reach groups and patterns">
            <h2>Reach groups</h2>
            {customer.groups.length === 0 && <p className="quiet">No site is in one.</p>}
            {customer.groups.map((group) => (
              <p key={group.name}>
                <b>{group.name}</b>{' '}
                <span className="quiet">
                  {count(group.own, 'site')}
                  {group.sites > group.own && `, and ${group.sites - group.own} of other customers`}
                </span>
              </p>
            ))}
            <h2 className="above">Patterns</h2>
            {customer.patterns.length === 0 && <p className="quiet">No site was made from one.</p>}
            {customer.patterns.map((pattern) => (
              <p key={`${pattern.key} ${pattern.version}`}>
                <Link to={`/patterns/${pattern.key}`}>{pattern.name}</Link>, version {pattern.version}{' '}
                <span className="quiet">
                  {count(pattern.sites, 'site')}
                  {pattern.newest > pattern.version && `, version ${pattern.newest} is there`}
                </span>
              </p>
            ))}
          </section>
        </div>
        <Usual customer={customer} />
      </div>
      <section className="card part below" aria-label="Sites">
        <h2>{count(customer.sites.length, 'site')}</h2>
        <Table className="small wide">
          <TableBody>
            {customer.sites.slice(0, 300).map((site) => (
              <TableRow key={site.site}>
                <TableCell component="th" scope="row">
                  <Link to={deskPath(site)}>{site.name}</Link> <span className="quiet">{site.site}</span>
                </TableCell>
                <TableCell>{site.ship_date ? dated(site.ship_date) : 'no ship date'}</TableCell>
                <TableCell>{site.next}</TableCell>
                <TableCell>
                  {site.stops > 0 && (
                    <>
                      <SeverityMark of="stop" size={12} /> {site.stops}
                    </>
                  )}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
        {customer.sites.length > 300 && (
          <p className="quiet">and {customer.sites.length - 300} more on Outbound</p>
        )}
      </section>
    </div>
  );
}

/** What a customer is called, and putting it away. */
function Called({ customer }: { customer: Customer }) {
  const [typed, setTyped] = useState({ name: customer.name, code: customer.code });
  const rename = useRegister(renameCustomer);
  const away = useRegister(putCustomerAway);
  const administers = useMay('administer');
  const [asked, setAsked] = useState(false);
  const navigate = useNavigate();
  const line = (of: 'name' | 'code', label: string, most: number) => (
    <label className="field">
      {label}
      <Line
        aria-label={label}
        maxLength={most}
        value={typed[of]}
        onChange={(event) => setTyped({ ...typed, [of]: event.target.value })}
      />
    </label>
  );
  const wrong = rename.error ?? away.error;
  return (
    <Unfolding word={administers ? 'rename or put away' : 'rename'} label={`What ${customer.name} is called`}>
      <form
        className="pile"
        onSubmit={(event) => {
          event.preventDefault();
          rename.mutate(
            { customer: customer.code, ...typed },
            { onSuccess: () => void navigate(`/customers/${encodeURIComponent(typed.code.trim())}`) },
          );
        }}
      >
        {line('name', 'Name', 200)}
        {line('code', 'Code, at all of its sites', 40)}
        <div className="line apart">
          <Button type="submit" variant="contained" loading={rename.isPending}>
            Save
          </Button>
          {!administers ? (
            <span className="quiet small">All of its sites are put away together by an administrator</span>
          ) : asked ? (
            <Button
              color="error"
              loading={away.isPending}
              onClick={() => away.mutate(customer.code, { onSuccess: () => void navigate('/customers') })}
            >
              Put {count(customer.sites.length, 'site')} away
            </Button>
          ) : (
            <Button color="error" onClick={() => setAsked(true)}>
              Put away…
            </Button>
          )}
        </div>
        {asked && (
          <p className="quiet small">
            Its sites take part in nothing any more, and are kept with all they have: Customers brings them
            back.
          </p>
        )}
        {wrong && <Trouble>{wrong.message}</Trouble>}
      </form>
    </Unfolding>
  );
}

function Blocks({ customer }: { customer: Customer }) {
  return (
    <section className="card part below" aria-label="Blocks">
      <h2>Blocks</h2>
      {customer.blocks.length === 0 && (
        <p className="quiet">None yet: new subnets are taken from the private block that a site is in.</p>
      )}
      {customer.blocks.map((block) => (
        <div key={block.block} className={`below ${styles.block}`}>
          <Link className="mono" to={`/space?window=${encodeURIComponent(block.block)}`}>
            {block.block}
          </Link>
          <svg
            className={`wide ${styles.room}`}
            viewBox="0 0 100 8"
            preserveAspectRatio="none"
            aria-hidden="true"
          >
            <rect width="100" height="8" fill="var(--track)" />
            <rect width={100 * (1 - block.free / block.size)} height="8" fill="var(--primary)" />
          </svg>
          <span className="quiet">
            {count(block.segments, 'segment')} · {block.free.toLocaleString('en-GB')} of{' '}
            {block.size.toLocaleString('en-GB')} free
            {block.largest && (
              <>
                , the largest part <span className="mono">{block.largest}</span>
              </>
            )}
          </span>
        </div>
      ))}
    </section>
  );
}

/** What is usual at the customer's sites: typed here, used by patterns, new segments and the convention of gateways. */
function Usual({ customer }: { customer: Customer }) {
  const may = useMay('organise');
  const save = useSaveCustomer(customer.code);
  const { defaults } = customer;
  const [typed, setTyped] = useState({
    blocks: customer.blocks.map((block) => block.block).join(' '),
    reserved: defaults.reserved.join(' '),
    resolvers: defaults.resolvers.join(' '),
    domain: defaults.domain ?? '',
    time_zone: defaults.time_zone ?? '',
    gateway: defaults.gateway ?? '',
    notes: defaults.notes,
  });
  const [departures, setDepartures] = useState(defaults.departures);
  const fault = save.error instanceof Failure ? save.error.message : '';
  const field = (name: keyof typeof typed, label: string, hint: string) => (
    <label className="field">
      {label}
      <Line
        aria-label={label}
        className="mono"
        disabled={!may}
        placeholder={hint}
        maxLength={2000}
        spellCheck={false}
        value={typed[name]}
        onChange={(event) => setTyped({ ...typed, [name]: event.target.value })}
      />
    </label>
  );
  return (
    <form
      className="card part below"
      aria-label="What is usual here"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate({
          blocks: words(typed.blocks),
          defaults: {
            resolvers: words(typed.resolvers),
            domain: typed.domain.trim() || null,
            time_zone: typed.time_zone.trim() || null,
            gateway: typed.gateway || null,
            reserved: words(typed.reserved),
            notes: typed.notes,
            departures,
          },
        });
      }}
    >
      <h2>What is usual here</h2>
      {field('blocks', 'Blocks', 'none')}
      {field('reserved', 'Parts of them that stay free', 'nothing reserved')}
      {field('resolvers', 'Resolvers handed out', 'as the pattern has them')}
      {field('domain', 'Domain', 'none')}
      {field('time_zone', 'Time zone', 'Europe/Dublin')}
      <label className="field">
        Gateway
        <Select
          aria-label="Gateway"
          disabled={!may}
          value={typed.gateway}
          onChange={(event) => setTyped({ ...typed, gateway: event.target.value })}
        >
          <option value="">as everywhere</option>
          <option value="first">the first usable address</option>
          <option value="last">the last usable address</option>
        </Select>
      </label>
      <label className="field">
        Notes
        <Lines
          aria-label="Notes"
          rows={4}
          disabled={!may}
          maxLength={4000}
          placeholder="what one has to know; no passwords"
          value={typed.notes}
          onChange={(event) => setTyped({ ...typed, notes: event.target.value })}
        />
      </label>
      <MeantOtherwise departures={departures} may={may} onChange={setDepartures} />
      {may && (
        <Button type="submit" variant="contained" loading={save.isPending}>
          Save
        </Button>
      )}
      {save.isSuccess && <span role="status"> saved, and every site is checked again</span>}
      {fault && <Trouble>{fault}</Trouble>}
    </form>
  );
}

function words(text: string): string[] {
  return text.split(/[\s,;]+/).filter(Boolean);
}
