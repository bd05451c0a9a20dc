import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { api, body, type Schemas } from '../api/client';
import { placeOf } from '../desk/places';
import { useMay } from '../frame/person';
import { Choose } from '../parts/Choose';
import { LinkButton, Tick, Press } from '../parts/controls';
import { SeverityMark } from '../parts/Marks';
import { Trouble } from '../parts/Trouble';
import { Unfolding } from '../parts/Unfolding';
import { count, moment } from '../parts/words';
import styles from './findings.module.css';
import { Mending } from './Mending';
import { useUndoBatch } from './queries';

type RuleCount = Schemas['RuleCount'];

/** What was found in the whole portfolio, by rule and by customer, and mended at many sites at once. */
export function FindingsPage() {
  const [search, setSearch] = useSearchParams();
  const customer = search.get('customer') ?? '';
  const rule = search.get('rule') ?? '';
  const overview = useQuery({
    queryKey: ['findings', 'overview', customer],
    queryFn: async () => body(await api.GET('/api/findings', { params: { query: { customer } } })),
    placeholderData: keepPreviousData,
  });
  const set = (key: string, value: string) => {
    const next = new URLSearchParams(search);
    if (value) next.set(key, value);
    else next.delete(key);
    setSearch(next, { replace: true });
  };
  if (overview.error) return <Trouble>{overview.error.message}</Trouble>;
  if (!overview.data) return null;
  const { rules, customers } = overview.data;
  const chosen = rules.find((one) => one.rule === rule) ?? rules[0];
  return (
    <div className="page">
      <h1 className="sentence">
        What was found at the sites of{' '}
        <Choose
          label="Customer"
          value={customer}
          of={[
            { code: '', name: 'all customers' },
            ...customers.map(({ customer: code, name, stops, warns }) => ({
              code,
              name,
              about: `${count(stops, 'stop')}, ${count(warns, 'warn')}`,
            })),
          ]}
          onChoose={(code) => set('customer', code)}
        />
      </h1>
      <Recent />
      <div className={`above ${styles.columns}`}>
        <nav aria-label="Rules that speak" className={styles.rules}>
          {rules.length === 0 && <p className="quiet">No rule has anything to say.</p>}
          {rules.map((one) => (
            <RuleLine
              key={one.rule}
              rule={one}
              here={one === chosen}
              onChoose={() => set('rule', one.rule)}
            />
          ))}
        </nav>
        {chosen ? (
          <OneRule key={`${chosen.rule} ${customer}`} rule={chosen} customer={customer} />
        ) : (
          <p className="quiet">Nothing is left to mend.</p>
        )}
      </div>
    </div>
  );
}

function RuleLine({ rule, here, onChoose }: { rule: RuleCount; here: boolean; onChoose: () => void }) {
  return (
    <button className={`wide ${styles.rule}`} aria-current={here} onClick={onChoose}>
      <SeverityMark of={rule.severity} />
      <span>
        {rule.title}
        <small className="quiet">
          {count(rule.findings, 'finding')} at {count(rule.sites, 'site')}
          {rule.accepted > 0 && `, ${rule.accepted} accepted`}
        </small>
      </span>
    </button>
  );
}

function OneRule({ rule, customer }: { rule: RuleCount; customer: string }) {
  const mayPlan = useMay('plan');
  const scroller = useRef<HTMLDivElement>(null);
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const [mending, setMending] = useState<string[] | null>(null);
  const listed = useQuery({
    queryKey: ['findings', 'list', rule.rule, customer],
    queryFn: async () =>
      body(
        await api.GET('/api/findings/list', { params: { query: { rule: rule.rule, customer, most: 2000 } } }),
      ),
  });
  const spots = listed.data?.spots ?? [];
  // eslint-disable-next-line react-hooks/incompatible-library -- the list is drawn anew with every scroll
  const rows = useVirtualizer({
    count: spots.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => 54,
    overscan: 8,
    measureElement: (element) => element.getBoundingClientRect().height,
  });
  const sites = [
    ...new Set(spots.filter((spot) => !spot.accepted).map((spot) => `${spot.customer}/${spot.site}`)),
  ];
  const chosen = sites.filter((site) => !left.has(site)).slice(0, 200);
  const toggle = (site: string) => {
    const next = new Set(left);
    if (!next.delete(site)) next.add(site);
    setLeft(next);
  };
  return (
    <section aria-label={rule.title} className={styles.spots}>
      <header className="line apart">
        <h2 className="line">
          <SeverityMark of={rule.severity} size={16} /> {rule.title}{' '}
          <Link to={`/rules#${rule.rule}`}>why</Link>
        </h2>
        {mayPlan && rule.remedies && (
          <Press
            variant="outlined"
            waits={chosen.length === 0 ? 'choose a site' : ''}
            onClick={() => setMending(chosen)}
          >
            Mend at {count(chosen.length, 'site')}
          </Press>
        )}
      </header>
      {mending && <Mending rule={rule.rule} sites={mending} onClose={() => setMending(null)} />}
      {listed.error && <Trouble>{listed.error.message}</Trouble>}
      {listed.data && listed.data.total > spots.length && (
        <p className="quiet">
          The first {spots.length} of {listed.data.total.toLocaleString('en-GB')}.
        </p>
      )}
      <div ref={scroller} className={`card above scroll ${styles.list}`}>
        <div style={{ height: rows.getTotalSize(), position: 'relative' }} role="list">
          {rows.getVirtualItems().map((item) => {
            const spot = spots[item.index];
            if (!spot) return null;
            const site = `${spot.customer}/${spot.site}`;
            return (
              <div
                key={item.key}
                ref={rows.measureElement}
                data-index={item.index}
                role="listitem"
                className={`afloat ${styles.spot}`}
                style={{ transform: `translateY(${item.start}px)` }}
              >
                {mayPlan && rule.remedies && !spot.accepted ? (
                  <Tick
                    aria-label={`Mend at ${site}`}
                    checked={!left.has(site)}
                    onChange={() => toggle(site)}
                  />
                ) : (
                  <span />
                )}
                <Link to={placeOf(spot, spot)}>
                  {spot.site_name}
                  <small className="quiet">{site}</small>
                </Link>
                <span>
                  {spot.message}
                  {spot.accepted && <b> Accepted.</b>}
                </span>
              </div>
            );
          })}
        </div>
      </div>
    </section>
  );
}

/** Taking a change of many sites back, where that has not been done. */
function TakeBack({ batch, undo }: { batch: Schemas['BatchShown']; undo: ReturnType<typeof useUndoBatch> }) {
  const mayPlan = useMay('plan');
  if (batch.undone) return <span className="quiet">taken back</span>;
  if (!mayPlan) return null;
  return (
    <LinkButton disabled={undo.isPending} onClick={() => undo.mutate(batch.id)}>
      Undo it at all of them
    </LinkButton>
  );
}

/** The changes of many sites in the last days, each with its undo. */
function Recent() {
  const batches = useQuery({
    queryKey: ['findings', 'batches'],
    queryFn: async () => body(await api.GET('/api/findings/batches')),
  });
  const undo = useUndoBatch();
  const all = batches.data ?? [];
  const [newest] = all;
  return (
    <>
      {undo.data && (
        <p role="status">
          Taken back at {count(undo.data.undone, 'site')}.
          {undo.data.moved.length > 0 &&
            ` Left as they are, since they have changed since: ${undo.data.moved.join(', ')}.`}
        </p>
      )}
      {undo.error && <Trouble>{undo.error.message}</Trouble>}
      {newest && (
        <p className="quiet">
          {newest.by}, {moment(newest.at)}: {newest.sentence}. <TakeBack batch={newest} undo={undo} />{' '}
          {all.length > 1 && (
            <Unfolding word={`All ${all.length} of the last two weeks`} label="Changes of many sites" wide>
              <ol className="rows">
                {all.map((batch) => (
                  <li key={batch.id}>
                    <span>
                      {batch.sentence}
                      <small className="quiet" style={{ display: 'block' }}>
                        {batch.by}, {moment(batch.at)}
                      </small>
                    </span>
                    <span className="end">
                      <TakeBack batch={batch} undo={undo} />
                    </span>
                  </li>
                ))}
              </ol>
            </Unfolding>
          )}
        </p>
      )}
    </>
  );
}
