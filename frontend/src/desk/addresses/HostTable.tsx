import Button from '@mui/material/Button';
import {
  memo,
  useCallback,
  useEffect,
  useMemo,
  useRef,
  useState,
  type ClipboardEvent,
  type ComponentProps,
} from 'react';
import type { Host, Segment } from '../../api/client';
import { useRevise } from '../../api/queries';
import { fieldOf } from '../../parts/fields';
import { TypedCell } from '../../parts/TypedField';
import { parse } from '../../ruler/addresses';
import { useDeskState, useLight } from '../context';
import styles from './addresses.module.css';
import { freshId, remove } from './edits';
import { HostRowsDialog } from './HostRowsDialog';
import { ColumnDialog } from '../letters/ColumnDialog';

/** The hosts of a segment, lowest address first; those without one last. */
function sortedHosts(hosts: Record<string, Host>, segment: string): { key: string; host: Host }[] {
  const value = (host: Host) => parse(host.address)?.value ?? 1n << 130n;
  return Object.entries(hosts)
    .filter(([, host]) => host.segment === segment)
    .map(([key, host]) => ({ key, host, value: value(host) }))
    .sort((a, b) => (a.value < b.value ? -1 : a.value > b.value ? 1 : 0));
}

type Pasted = Omit<ComponentProps<typeof ColumnDialog>, 'onClose'>;

/** The hosts of one segment by address, each value typed in place. */
export function HostTable({ id, segment }: { id: string; segment: Segment }) {
  const { name, desk, mayPlan } = useDeskState();
  const { lit } = useLight();
  const revise = useRevise(name);
  const awaited = useRef<string | null>(null);
  const [pasted, setPasted] = useState<Pasted | null>(null);
  const [rowsText, setRows] = useState<string | null>(null);
  const byAddress = useMemo(() => sortedHosts(desk.plan.hosts, id), [desk.plan.hosts, id]);
  // rows stay where they are while one types in them; what comes goes to the end
  const [order, setOrder] = useState(() => byAddress.map(({ key }) => key));
  const there = new Set(byAddress.map(({ key }) => key));
  const fresh = byAddress.filter(({ key }) => !order.includes(key)).map(({ key }) => key);
  const rows = [...order.filter((key) => there.has(key)), ...fresh];
  if (rows.length !== order.length || fresh.length > 0) setOrder(rows);
  const hosts = rows.flatMap((key) => {
    const host = desk.plan.hosts[key];
    return host ? [{ key, host }] : [];
  });
  const sorted = byAddress.every(({ key }, place) => rows[place] === key);

  const six = segment.subnet6 !== null || hosts.some(({ host }) => host.address6 !== null);

  useEffect(() => {
    const added = awaited.current;
    if (!added || !(added in desk.plan.hosts)) return;
    awaited.current = null; // once, when it was asked for
    document.querySelector<HTMLInputElement>(`[data-field="/hosts/${added}/address"]`)?.focus();
  }, [desk.plan.hosts]);

  const { mutate } = revise;
  const revision = desk.revision.number;
  const drop = useCallback(
    (key: string) => {
      const row = document.querySelector(`tr[data-path="/hosts/${key}"]`);
      const near = row?.nextElementSibling ?? row?.previousElementSibling;
      near?.querySelector<HTMLElement>('button')?.focus(); // its own goes with it
      mutate({ operations: [remove(`/hosts/${key}`)], revision });
    },
    [mutate, revision],
  );
  const add = () => {
    const key = freshId(desk.plan.hosts);
    const names = new Set(hosts.map(({ host }) => host.name));
    let number = hosts.length + 1;
    while (names.has(`host ${number}`)) number += 1;
    const value = { segment: id, name: `host ${number}` };
    mutate({ operations: [{ op: 'add', path: `/hosts/${key}`, value }], revision });
    awaited.current = key;
  };
  /** Rows of several cells become hosts; lines of one cell go to the rows from there on; both are looked at first. */
  const paste = (event: ClipboardEvent) => {
    const text = event.clipboardData.getData('text').trim();
    const lines = text.split(/\r?\n/);
    if (mayPlan && lines.some((line) => /\t|[^,;]+[,;].*[,;]/.test(line))) {
      event.preventDefault();
      return setRows(text);
    }
    const path = (event.target as HTMLElement).dataset.field ?? '';
    const [, , key, field] = path.split('/');
    const from = hosts.findIndex((row) => row.key === key);
    if (!mayPlan || lines.length < 2 || from < 0 || !field) return;
    event.preventDefault();
    const rows = hosts.slice(from, from + lines.length);
    setPasted({
      entries: rows.map((row, place) => ({
        path: `/hosts/${row.key}/${field}`,
        text: lines[place]?.trim() ?? '',
      })),
      names: rows.map((row) => row.host.name),
      left: lines.length - rows.length,
    });
  };
  return (
    <>
      {pasted && <ColumnDialog {...pasted} onClose={() => setPasted(null)} />}
      {rowsText !== null && (
        <HostRowsDialog segment={id} label={segment.label} text={rowsText} onClose={() => setRows(null)} />
      )}
      {hosts.length > 0 && (
        <div className={styles.scroll}>
          <table className={`wide above ${styles.hosts}`} data-six={six} onPaste={paste}>
            <thead>
              <tr>
                {['Host', 'Kind', 'Address', ...(six ? ['IPv6'] : []), 'MAC', 'Assigned', 'Attached', ''].map(
                  (head) => (
                    <th key={head} scope="col">
                      {head}
                    </th>
                  ),
                )}
              </tr>
            </thead>
            <tbody>
              {hosts.map(({ key, host }) => (
                <HostRow
                  key={key}
                  id={key}
                  host={host}
                  six={six}
                  lit={lit === `/hosts/${key}`}
                  onRemove={mayPlan ? drop : undefined}
                />
              ))}
            </tbody>
          </table>
        </div>
      )}
      {mayPlan && (
        <Button sx={{ mt: 1, mr: 1 }} onClick={add}>
          Add host to {segment.label}
        </Button>
      )}
      {mayPlan && (
        <Button sx={{ mt: 1, mr: 1 }} onClick={() => setRows('')}>
          Paste rows
        </Button>
      )}
      {!sorted && (
        <Button sx={{ mt: 1 }} onClick={() => setOrder(byAddress.map(({ key }) => key))}>
          Sort by address
        </Button>
      )}
      {revise.error && <span role="alert">{revise.error.message}</span>}
    </>
  );
}

const HostRow = memo(function HostRow(props: {
  id: string;
  host: Host;
  six: boolean;
  lit: boolean;
  onRemove: ((id: string) => void) | undefined;
}) {
  const { id, host, six, lit, onRemove } = props;
  const field = (name: keyof Host) => {
    const { label, choices } = fieldOf('hosts', name);
    return (
      <TypedCell
        path={`/hosts/${id}/${name}`}
        label={`${label} of ${host.name}`}
        value={host[name] ?? ''}
        {...(choices.length > 0 ? { choices } : {})}
      />
    );
  };
  return (
    <tr data-path={`/hosts/${id}`} className={lit ? 'lit' : ''}>
      <td>{field('name')}</td>
      <td>{field('kind')}</td>
      <td>{field('address')}</td>
      {six && <td>{field('address6')}</td>}
      <td>{field('mac')}</td>
      <td>{field('method')}</td>
      <td>{field('attached')}</td>
      <td>
        {onRemove && (
          <button
            className={`bad small ${styles.remove}`}
            aria-label={`Remove ${host.name}`}
            onClick={() => onRemove(id)}
          >
            Remove
          </button>
        )}
      </td>
    </tr>
  );
});
