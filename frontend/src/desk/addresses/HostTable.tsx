import Button from '@mui/material/Button';
import { memo, useCallback, useEffect, useMemo, useState } from 'react';
import type { Host, Segment } from '../../api/client';
import { useRevise } from '../../api/queries';
import { TypedCell } from '../../parts/TypedField';
import { parse } from '../../ruler/addresses';
import { useDeskState, useLight } from '../context';
import styles from './addresses.module.css';
import { freshId, remove } from './edits';

const METHODS = [
  ['static', 'typed in'],
  ['reserved', 'reserved'],
] as const;

/** The hosts of one segment by address, each value typed in place. */
export function HostTable({ id, segment }: { id: string; segment: Segment }) {
  const { name, desk, mayPlan } = useDeskState();
  const { lit } = useLight();
  const revise = useRevise(name);
  const [added, setAdded] = useState<string | null>(null);
  const hosts = useMemo(() => {
    const value = (host: Host) => parse(host.address)?.value ?? 1n << 130n;
    return Object.entries(desk.plan.hosts)
      .filter(([, host]) => host.segment === id)
      .map(([key, host]) => ({ key, host, value: value(host) }))
      .sort((a, b) => (a.value < b.value ? -1 : a.value > b.value ? 1 : 0));
  }, [desk.plan.hosts, id]);

  useEffect(() => {
    if (added) document.querySelector<HTMLInputElement>(`[data-field="/hosts/${added}/address"]`)?.focus();
  }, [added, desk.revision.number]);

  const { mutate } = revise;
  const revision = desk.revision.number;
  const drop = useCallback(
    (key: string) => mutate({ operations: [remove(`/hosts/${key}`)], revision }),
    [mutate, revision],
  );
  const add = () => {
    const key = freshId(desk.plan.hosts);
    const names = new Set(hosts.map(({ host }) => host.name));
    let number = hosts.length + 1;
    while (names.has(`host ${number}`)) number += 1;
    const value = { segment: id, name: `host ${number}` };
    mutate({ operations: [{ op: 'add', path: `/hosts/${key}`, value }], revision });
    setAdded(key);
  };
  return (
    <>
      {hosts.length > 0 && (
        <table className={styles.hosts}>
          <thead>
            <tr>
              {['Host', 'Kind', 'Address', 'MAC', 'Address is', ''].map((head) => (
                <th key={head} scope="col">
                  {head}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {hosts.map(({ key, host }) => (
              <HostRow
                key={key}
                id={key}
                host={host}
                lit={lit === `/hosts/${key}`}
                onRemove={mayPlan ? drop : undefined}
              />
            ))}
          </tbody>
        </table>
      )}
      {mayPlan && (
        <Button sx={{ mt: 1, mr: 1 }} onClick={add}>
          Add host to {segment.label}
        </Button>
      )}
      {revise.error && <span role="alert">{revise.error.message}</span>}
    </>
  );
}

const HostRow = memo(function HostRow(props: {
  id: string;
  host: Host;
  lit: boolean;
  onRemove: ((id: string) => void) | undefined;
}) {
  const { id, host, lit, onRemove } = props;
  const field = (key: 'name' | 'kind' | 'address' | 'mac', label: string) => (
    <TypedCell path={`/hosts/${id}/${key}`} label={`${label} of ${host.name}`} value={host[key] ?? ''} />
  );
  return (
    <tr data-path={`/hosts/${id}`} className={lit ? styles.lit : ''}>
      <td>{field('name', 'Name')}</td>
      <td>{field('kind', 'Kind')}</td>
      <td>{field('address', 'Address')}</td>
      <td>{field('mac', 'MAC')}</td>
      <td>
        <TypedCell
          path={`/hosts/${id}/method`}
          label={`Method of ${host.name}`}
          value={host.method}
          choices={METHODS}
        />
      </td>
      <td>
        {onRemove && (
          <button className={styles.remove} aria-label={`Remove ${host.name}`} onClick={() => onRemove(id)}>
            Remove
          </button>
        )}
      </td>
    </tr>
  );
});
