import Button from '@mui/material/Button';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useRef, useState, type DragEvent, type KeyboardEvent } from 'react';
import { Link, useSearchParams } from 'react-router';
import type { OutboundSite } from '../api/client';
import { useOutbound } from '../api/queries';
import { useMay } from '../frame/person';
import { fetched } from '../parts/fetched';
import { SeverityMark, StageMark } from '../parts/Marks';
import { Notice } from '../parts/Notice';
import { count, dated, deskPath } from '../parts/words';
import { ChoiceWord } from './ChoiceWord';
import { matches, SHIPPING, STATES, TROUBLE, weekOf, type Choice, type Filters } from './filters';
import styles from './outbound.module.css';

const ImportDialog = fetched(async () => (await import('../imports/ImportDialog')).ImportDialog);
const FirstSite = fetched(async () => (await import('./FirstSite')).FirstSite);

const KEYS = ['state', 'customer', 'technician', 'shipping', 'trouble'] as const;

/** The sites in preparation, by ship week. */
export function OutboundPage() {
  const outbound = useOutbound();
  const [search, setSearch] = useSearchParams();
  const [files, setFiles] = useState<File[]>([]);
  const [dragging, setDragging] = useState(false);
  const picker = useRef<HTMLInputElement>(null);
  const mayPlan = useMay('plan');

  if (outbound.error) return <Notice title="Outbound cannot be shown" detail={outbound.error.message} />;
  if (!outbound.data) return null;
  const { sites, today } = outbound.data;
  const filters = Object.fromEntries(KEYS.map((key) => [key, search.get(key) ?? ''])) as unknown as Filters;
  const shown = sites.filter((site) => matches(site, filters, today));
  const choose = (key: string) => (value: string) => {
    const next = new URLSearchParams(search);
    if (value) next.set(key, value);
    else next.delete(key);
    setSearch(next, { replace: true });
  };
  const drop = (event: DragEvent) => {
    event.preventDefault();
    setDragging(false);
    if (mayPlan) setFiles([...event.dataTransfer.files]);
  };

  return (
    <div
      className={`fill column ${styles.page}`}
      onDragOver={(event) => {
        event.preventDefault();
        setDragging(mayPlan);
      }}
      onDragLeave={(event) => event.currentTarget.contains(event.relatedTarget as Node) || setDragging(false)}
      onDrop={drop}
    >
      {sites.length > 0 && (
        <h1 className={styles.sentence}>
          Show <ChoiceWord label="Sites" choices={STATES} value={filters.state} onChoose={choose('state')} />{' '}
          of{' '}
          <ChoiceWord
            label="Customer"
            choices={customers(sites)}
            value={filters.customer}
            onChoose={choose('customer')}
          />{' '}
          for{' '}
          <ChoiceWord
            label="Technician"
            choices={technicians(sites)}
            value={filters.technician}
            onChoose={choose('technician')}
          />
          , shipping{' '}
          <ChoiceWord
            label="Shipping"
            choices={SHIPPING}
            value={filters.shipping}
            onChoose={choose('shipping')}
          />
          , with{' '}
          <ChoiceWord
            label="Trouble"
            choices={TROUBLE}
            value={filters.trouble}
            onChoose={choose('trouble')}
          />
          .
        </h1>
      )}
      <div className="line far quiet small below">
        {sites.length > 0 && <span role="status">{totals(shown)}</span>}
        {mayPlan && (
          <>
            <Button sx={{ whiteSpace: 'nowrap' }} variant="outlined" component={Link} to="/new">
              New site
            </Button>
            <Button
              sx={{ whiteSpace: 'nowrap' }}
              title="or drop them anywhere on this page"
              onClick={() => picker.current?.click()}
            >
              Load intake tables
            </Button>
            <span>·</span>
            <a href="/api/imports/template.xlsx" download="intake.xlsx">
              empty intake workbook
            </a>
            <a href="/api/imports/template.ods" download="intake.ods" aria-label="the same as ODS">
              (ODS)
            </a>
            <span>·</span>
            <Link to="/imports">refused rows</Link>
            <span>·</span>
            <Link to="/questions">open questions</Link>
          </>
        )}
        <input
          ref={picker}
          type="file"
          multiple
          hidden
          accept=".csv,.xlsx,.ods,.json"
          aria-label="Intake tables"
          onChange={(event) => {
            setFiles([...(event.target.files ?? [])]);
            event.target.value = '';
          }}
        />
      </div>
      {sites.length === 0 ? (
        <FirstSite mayPlan={mayPlan} onLoad={() => picker.current?.click()} />
      ) : shown.length === 0 ? (
        <Notice title="No site fits the sentence" detail="Choose other words in it." />
      ) : (
        <SiteList sites={shown} today={today} />
      )}
      {dragging && <div className={styles.drop}>Drop intake tables to see what they would change</div>}
      {files.length > 0 && <ImportDialog files={files} onClose={() => setFiles([])} />}
    </div>
  );
}

function SiteList({ sites, today }: { sites: OutboundSite[]; today: string }) {
  const scroller = useRef<HTMLDivElement>(null);
  const weeks = sites.map((site) => weekOf(site.ship_date, today));
  const opens = (index: number) => index === 0 || weeks[index]?.title !== weeks[index - 1]?.title;
  // eslint-disable-next-line react-hooks/incompatible-library -- the list is drawn anew with every scroll
  const rows = useVirtualizer({
    count: sites.length,
    getScrollElement: () => scroller.current,
    estimateSize: (index) => (opens(index + 1) ? 52 : 39),
    overscan: 12,
  });
  const move = (event: KeyboardEvent) => {
    const step = { ArrowDown: 1, j: 1, ArrowUp: -1, k: -1 }[event.key];
    const here = Number((event.target as HTMLElement).dataset.index ?? -1);
    if (step === undefined) return;
    event.preventDefault();
    const next = Math.min(sites.length - 1, Math.max(0, here + step));
    rows.scrollToIndex(next);
    requestAnimationFrame(() =>
      scroller.current?.querySelector<HTMLElement>(`a[data-index="${next}"]`)?.focus(),
    );
  };
  return (
    <div
      ref={scroller}
      className={`fill scroll ${styles.list}`}
      onKeyDown={move}
      role="list"
      aria-label="Sites by ship week"
    >
      <div style={{ height: rows.getTotalSize(), position: 'relative' }}>
        {rows.getVirtualItems().map((item) => {
          const site = sites[item.index];
          const week = weeks[item.index];
          if (!site || !week) return null;
          const first = opens(item.index);
          return (
            <div
              key={item.key}
              role="listitem"
              className={`afloat ${styles.row} ${first ? styles.opens : ''}`}
              style={{ transform: `translateY(${item.start}px)` }}
            >
              <div className={styles.week}>
                {first && (
                  <>
                    <b>{week.title}</b>
                    <small>{week.days}</small>
                  </>
                )}
              </div>
              <SiteRow site={site} index={item.index} />
            </div>
          );
        })}
      </div>
    </div>
  );
}

function SiteRow({ site, index }: { site: OutboundSite; index: number }) {
  return (
    <Link to={deskPath(site)} className={styles.site} data-index={index}>
      <span title={`${site.customer}/${site.site}`}>
        <b>{site.name}</b> <span className="quiet">{site.customer_name}</span>
      </span>
      <span className="line near" title={site.ship_date ? `Ships ${dated(site.ship_date)}` : 'No ship date'}>
        {Object.entries(site.stages).map(([stage, state]) => (
          <span key={stage} title={`${stage}: ${state}`}>
            <StageMark stage={state} />
          </span>
        ))}
      </span>
      <span className="quiet">{site.technician?.split(' ')[0] ?? 'nobody yet'}</span>
      <span title={site.open ? `${site.next}. Open questions: ${site.open}` : site.next}>
        {site.next}
        {site.open && !site.shipped && <span className="quiet"> · open: {site.open}</span>}
      </span>
      <span className={`line ${styles.state}`}>
        {site.clear && (
          <span style={{ color: 'var(--clear)', fontWeight: 600 }}>
            <SeverityMark of="clear" /> clear
          </span>
        )}
        {site.stops > 0 && (
          <span>
            <SeverityMark of="stop" /> {site.stops}
          </span>
        )}
        {site.warns > 0 && (
          <span>
            <SeverityMark of="warn" /> {site.warns}
          </span>
        )}
      </span>
    </Link>
  );
}

function customers(sites: OutboundSite[]): Choice[] {
  const names = new Map(sites.map((site) => [site.customer, site.customer_name]));
  const sorted = [...names].sort((a, b) => a[1].localeCompare(b[1]));
  return [{ value: '', words: 'all customers' }, ...sorted.map(([value, words]) => ({ value, words }))];
}

function technicians(sites: OutboundSite[]): Choice[] {
  const names = [...new Set(sites.map((site) => site.technician).filter((name) => name !== null))].sort();
  return [
    { value: '', words: 'any technician' },
    ...names.map((name) => ({ value: name, words: name })),
    { value: '-', words: 'nobody yet' },
  ];
}

function totals(sites: OutboundSite[]): string {
  const number = (test: (site: OutboundSite) => boolean) => sites.filter(test).length;
  return [
    count(sites.length, 'site'),
    `${number((site) => site.clear)} clear to ship`,
    `${number((site) => site.stops > 0)} with stops`,
    `${number((site) => site.waiting)} waiting for a provider`,
  ].join(' · ');
}
