import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { api, body, type Schemas } from '../api/client';
import { SeverityMark } from './Marks';
import { Unfolding } from './Unfolding';
import { count, deskPath } from './words';

/** So long nobody has typed before all sites are checked with what was typed, in milliseconds. */
const PAUSE = 400;

const SEVERITIES = ['stop', 'warn', 'note'] as const;

type Document = Record<string, unknown>;

/** What would come of saving settings, or a type by its key. */
const ask = async (type: string | undefined, document: Document, signal: AbortSignal) =>
  type === undefined
    ? body(await api.POST('/api/organisation/preview', { body: document, signal }))
    : body(
        await api.POST('/api/hardware/{key}/preview', {
          params: { path: { key: type } },
          body: document,
          signal,
        }),
      );

interface Props {
  document: Document;
  /** The key of a hardware type, when it is one that is written. */
  type?: string;
}

/** What settings or a type that are not saved yet would change in findings and clearances of all sites. */
export function Bring({ document, type }: Props) {
  const typed = JSON.stringify(document);
  const [asked, setAsked] = useState('');
  useEffect(() => {
    const pause = setTimeout(() => setAsked(typed), PAUSE);
    return () => clearTimeout(pause);
  }, [typed]);
  const brought = useQuery({
    queryKey: ['brought', type, asked],
    queryFn: ({ signal }) => ask(type, JSON.parse(asked) as Document, signal),
    enabled: asked !== '',
    placeholderData: keepPreviousData,
    gcTime: 0,
    retry: false,
  });
  if (brought.error) return <Told mark="warn">{brought.error.message}</Told>;
  if (!brought.data || asked !== typed || brought.isPlaceholderData) {
    return <p className="quiet">Every site is checked with it…</p>;
  }
  const { come, end, voided, first_voided } = brought.data;
  if (come.sites + end.sites + voided === 0)
    return <Told mark="clear">Saving it changes no finding, and every clearance stands.</Told>;
  return (
    <>
      {come.sites > 0 && (
        <Told mark={come.first[0]?.severity ?? 'note'}>
          Saving it brings {counted(come)} at <Sites change={come} label="Sites where it brings findings" />
        </Told>
      )}
      {voided > 0 && (
        <Told mark="warn">
          It voids the clearance of {count(voided, 'site')}: {first_voided.join(', ')}
          {voided > first_voided.length && ' and others'}
        </Told>
      )}
      {end.sites > 0 && (
        <Told mark="clear">
          {come.sites > 0 ? 'It' : 'Saving it'} ends {counted(end)} at{' '}
          <Sites change={end} label="Sites where it ends findings" />
        </Told>
      )}
    </>
  );
}

type Change = Schemas['FindingsChange'];

function counted({ counts }: Change): string {
  const parts = SEVERITIES.flatMap((severity) => {
    const number = counts[severity] ?? 0;
    return number > 0 ? [count(number, severity)] : [];
  });
  return parts.length > 1 ? `${parts.slice(0, -1).join(', ')} and ${parts.at(-1)}` : (parts[0] ?? '');
}

function Sites({ change, label }: { change: Change; label: string }) {
  return (
    <Unfolding word={count(change.sites, 'site')} label={label} wide>
      <ul className="rows">
        {change.first.map(({ site, findings, severity, message }) => {
          const [customer = '', code = ''] = site.split('/');
          return (
            <li key={site}>
              <SeverityMark of={severity} size={12} />
              <span>
                <Link to={deskPath({ customer, site: code })}>{site}</Link> {message}
                {findings > 1 && <span className="quiet"> And {findings - 1} more here.</span>}
              </span>
            </li>
          );
        })}
      </ul>
      {change.sites > change.first.length && (
        <p className="quiet">and {count(change.sites - change.first.length, 'more site', 'more sites')}</p>
      )}
    </Unfolding>
  );
}

function Told({ mark, children }: { mark: 'stop' | 'warn' | 'note' | 'clear'; children: ReactNode }) {
  return (
    <p>
      <SeverityMark of={mark} size={13} /> {children}
    </p>
  );
}
