import Button from '@mui/material/Button';
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { api, body, type Failure, type Schemas } from '../api/client';
import { useCustomers, useOutbound } from '../api/queries';
import { useMay } from '../frame/person';
import { Choose } from '../parts/Choose';
import { Line, LinkButton, Options, SelectInline, Press } from '../parts/controls';
import { RoleMark, SeverityMark } from '../parts/Marks';
import { Trouble } from '../parts/Trouble';
import { count, deskPath } from '../parts/words';
import { overlap, subnet } from '../ruler/addresses';
import { Legend } from './Legend';
import { Levels, type Colour } from './Levels';
import type { Space } from './levels';
import { PublicSpace } from './PublicSpace';
import styles from './space.module.css';

const COLOURS: Record<Colour, string> = {
  full: 'by how full it is',
  role: 'by role',
  site: 'by site',
  trouble: 'by trouble',
};

const KINDS = { 4: 'inside', 6: 'inside, IPv6', public: 'handed out by providers' } as const;

function kindOf(text: string | null): keyof typeof KINDS {
  return text === 'public' ? 'public' : text === '6' ? 6 : 4;
}

/** All address space: what is taken, by whom, where it collides, and where there is room. */
export function SpacePage() {
  const [search, setSearch] = useSearchParams();
  const kind = kindOf(search.get('kind'));
  const customer = search.get('customer') ?? '';
  const set = (values: Record<string, string>) => {
    const next = new URLSearchParams(search);
    for (const [key, value] of Object.entries(values)) {
      if (value) next.set(key, value);
      else next.delete(key);
    }
    setSearch(next, { replace: true });
  };
  const customers = useCustomers(true);
  return (
    <div className="page">
      <h1 className="sentence">
        Address space{' '}
        <SelectInline
          aria-label="Which address space"
          value={kind}
          onChange={(event) => set({ kind: event.target.value, window: '' })}
        >
          <Options of={Object.entries(KINDS)} />
        </SelectInline>{' '}
        of{' '}
        <Choose
          label="Customer"
          value={customer}
          of={[
            { code: '', name: 'all customers' },
            ...Object.entries(customers.data ?? {}).map(([code, name]) => ({ code, name })),
          ]}
          onChoose={(code) => set({ customer: code, window: '' })}
        />
        {kind !== 'public' && (
          <>
            {' '}
            coloured{' '}
            <SelectInline
              aria-label="Colours"
              value={search.get('colour') ?? 'full'}
              onChange={(event) => set({ colour: event.target.value })}
            >
              <Options of={Object.entries(COLOURS)} />
            </SelectInline>
          </>
        )}
      </h1>
      {kind === 'public' ? (
        <PublicSpace customer={customer} />
      ) : (
        <Inside
          key={kind}
          window={search.get('window') ?? ''}
          family={kind}
          customer={customer}
          colour={(search.get('colour') ?? 'full') as Colour}
          onWindow={(window) => set({ window })}
        />
      )}
    </div>
  );
}

function spaceQuery(window: string, family: 4 | 6, customer: string) {
  return {
    queryKey: ['space', window, family, customer],
    queryFn: async () =>
      body(await api.GET('/api/space', { params: { query: { window, customer, family } } })),
    retry: false,
  };
}

function Inside(props: {
  window: string;
  family: 4 | 6;
  customer: string;
  colour: Colour;
  onWindow: (window: string) => void;
}) {
  const { window, family, customer, colour, onWindow } = props;
  const [lit, setLit] = useState<string[]>([]);
  const shown = useQuery({ ...spaceQuery(window, family, customer), placeholderData: keepPreviousData });
  const space = shown.data;
  const queries = useQueryClient();
  const [problem, setProblem] = useState('');
  /** Show what was typed, when it can be read; else the picture stays. */
  const show = async (typed: string) => {
    try {
      await queries.fetchQuery(spaceQuery(typed, family, customer));
      setProblem('');
      onWindow(typed);
    } catch (error) {
      setProblem((error as Failure).message);
    }
  };
  return (
    <>
      <WindowField
        key={space?.window ?? window}
        window={space?.window ?? window}
        above={space?.above ?? null}
        onWindow={(typed) => void show(typed)}
      />
      {(problem || shown.error) && <Trouble>{problem || shown.error?.message}</Trouble>}
      {space && (
        <>
          <Levels space={space} colour={colour} lit={lit} onWindow={onWindow} />
          <Legend space={space} colour={colour} lit={lit.length > 0} />
          <div className={styles.columns}>
            <SegmentList space={space} onWindow={onWindow} />
            <FindRoom space={space} customer={customer} onFound={setLit} onWindow={onWindow} />
          </div>
        </>
      )}
    </>
  );
}

function WindowField(props: { window: string; above: string | null; onWindow: (window: string) => void }) {
  const { window, above, onWindow } = props;
  const [text, setText] = useState(window);
  return (
    <form
      className={`line wrap ${styles.window}`}
      onSubmit={(event) => {
        event.preventDefault();
        onWindow(text.trim());
      }}
    >
      <label>
        In{' '}
        <Line
          aria-label="Part that is shown"
          className="mono"
          value={text}
          maxLength={60}
          onChange={(event) => setText(event.target.value)}
        />
      </label>
      <Button type="submit">Show</Button>
      <Press waits={above === null ? 'this is the whole' : ''} onClick={() => above && onWindow(above)}>
        Back up to {above ?? 'the whole'}
      </Press>
      <span className="quiet">wheel or + and −, click a cell to go there</span>
    </form>
  );
}

function SegmentList({ space, onWindow }: { space: Space; onWindow: (window: string) => void }) {
  const scroller = useRef<HTMLDivElement>(null);
  const { segments, total, sites } = space;
  // eslint-disable-next-line react-hooks/incompatible-library -- the list is drawn anew with every scroll
  const rows = useVirtualizer({
    count: segments.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => 28,
    overscan: 10,
  });
  return (
    <section aria-label="Segments in this part">
      <h2 className={styles.heading}>
        {total === 0 ? 'Nothing is planned here' : `${count(total, 'segment')} of ${count(sites, 'site')}`}
      </h2>
      {total > segments.length && <p className="quiet">Go deeper to see them one by one.</p>}
      <div ref={scroller} className={styles.list}>
        <div style={{ height: rows.getTotalSize(), position: 'relative' }} role="list">
          {rows.getVirtualItems().map((item) => {
            const placed = segments[item.index];
            if (!placed) return null;
            return (
              <div
                key={item.key}
                role="listitem"
                className={`afloat ${styles.row}`}
                style={{ transform: `translateY(${item.start}px)` }}
              >
                <LinkButton className="mono" onClick={() => onWindow(placed.subnet)}>
                  {placed.subnet}
                </LinkButton>
                <RoleMark role={placed.role} />
                <Link to={`${deskPath(placed)}#${placed.path}/subnet`}>
                  {placed.customer}/{placed.site} {placed.label}
                </Link>
                <span className="clip" title={placed.shared ? sharing(placed, segments) : undefined}>
                  {placed.worst && <SeverityMark of={placed.worst} size={12} />}{' '}
                  {placed.shared && sharing(placed, segments)}
                </span>
              </div>
            );
          })}
        </div>
      </div>
    </section>
  );
}

/** With which others a segment shares addresses, as far as they are in view. */
function sharing(placed: Space['segments'][number], segments: Space['segments']): string {
  const net = subnet(placed.subnet);
  const others = segments.filter((other) => {
    const there = other === placed ? undefined : subnet(other.subnet);
    return net && there && overlap(net, there);
  });
  const named = others.slice(0, 2).map(({ customer, site, label }) => `${customer}/${site} ${label}`);
  const more = others.length > 2 ? ` and ${others.length - 2} more` : '';
  return `overlaps ${named.join(', ') || 'another'}${more}`;
}

/** Where a subnet of a size would fit; what is found is lit in the picture, and can be taken for a new segment. */
function FindRoom(props: {
  space: Space;
  customer: string;
  onFound: (nets: string[]) => void;
  onWindow: (window: string) => void;
}) {
  const { space, customer, onFound, onWindow } = props;
  const mayPlan = useMay('plan');
  const outbound = useOutbound();
  const [prefix, setPrefix] = useState('24');
  const [near, setNear] = useState('');
  const [code, setCode] = useState('');
  const [found, setFound] = useState<Schemas['RoomShown'] | null>(null);
  const [problem, setProblem] = useState('');
  const customers = Object.entries(space.customers);
  const chosen = customer || code.split('/')[0] || customers[0]?.[0] || '';
  const sites = (outbound.data?.sites ?? []).filter((site) => site.customer === chosen);
  const site = code.startsWith(`${chosen}/`) ? code.split('/')[1] : '';
  const ask = async () => {
    setProblem('');
    try {
      const query = {
        prefix: Number(prefix.replace('/', '')),
        customer: chosen,
        near: near.trim(),
        ...(site ? { site } : {}),
      };
      const answer = body(await api.GET('/api/space/room', { params: { query } }));
      setFound(answer);
      onFound(answer.found);
    } catch (error) {
      setFound(null);
      onFound([]);
      setProblem((error as Error).message);
    }
  };
  return (
    <section aria-label="Find room">
      <h2 className={styles.heading}>Find room</h2>
      <form
        className="line near wrap"
        onSubmit={(event) => {
          event.preventDefault();
          void ask();
        }}
      >
        for a /
        <Line
          aria-label="Prefix length"
          className="mono"
          style={{ width: 40 }}
          value={prefix}
          maxLength={3}
          onChange={(event) => setPrefix(event.target.value)}
        />{' '}
        near{' '}
        <Line
          aria-label="Near which address"
          className="mono"
          style={{ width: 130 }}
          placeholder="10.40.8.0"
          value={near}
          maxLength={60}
          onChange={(event) => setNear(event.target.value)}
        />{' '}
        for{' '}
        {customer === '' ? (
          <Choose
            label="For which customer"
            value={chosen}
            of={customers.map(([code, name]) => ({ code, name }))}
            width={200}
            onChoose={(code) => setCode(`${code}/`)}
          />
        ) : (
          <b>{customers.find(([code]) => code === chosen)?.[1] ?? chosen}</b>
        )}{' '}
        <Choose
          label="For which site"
          value={site ?? ''}
          of={[{ code: '', name: 'a new site' }, ...sites.map((row) => ({ code: row.site, name: row.name }))]}
          width={200}
          onChoose={(code) => setCode(`${chosen}/${code}`)}
        />
        <Button type="submit" variant="outlined">
          Find
        </Button>
      </form>
      {problem && <Trouble>{problem}</Trouble>}
      {found && (
        <ol className="rows above" aria-label="Where there is room">
          {found.found.length === 0 && (
            <li>
              No free /{found.prefix} is left in the blocks of {found.customer}.
            </li>
          )}
          {found.found.map((net) => (
            <li key={net}>
              <LinkButton className="mono" onClick={() => onWindow(net)}>
                {net}
              </LinkButton>
              {mayPlan && found.site && (
                <Link to={`${deskPath({ customer: found.customer, site: found.site })}?subnet=${net}`}>
                  take it for a segment
                </Link>
              )}
            </li>
          ))}
        </ol>
      )}
    </section>
  );
}
