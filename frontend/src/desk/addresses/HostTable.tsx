import Button from '@mui/material/Button';
import { useEffect, useState } from 'react';
import type { Host, Segment } from '../../api/client';
import { useRevise } from '../../api/queries';
import { TypedField } from '../../parts/TypedField';
import { parse } from '../../ruler/addresses';
import { useDeskState } from '../context';
import styles from './addresses.module.css';
import { freshId, remove } from './edits';

const METHODS = [
  ['static', 'typed in'],
  ['reserved', 'reserved'],
] as const;

/** The hosts of one segment by address, each value typed in place. */
export function HostTable({ id, segment }: { id: string; segment: Segment }) {
  const { name, desk, mayPlan, lit } = useDeskState();
  const revise = useRevise(name);
  const [added, setAdded] = useState<string | null>(null);
  const hosts = Object.entries(desk.plan.hosts)
    .filter(([, host]) => host.segment === id)
    .sort(([, a], [, b]) =>
      Number((parse(a.address)?.value ?? 1n << 130n) - (parse(b.address)?.value ?? 1n << 130n)),
    );

  useEffect(() => {
    if (added) document.querySelector<HTMLInputElement>(`[data-field="/hosts/${added}/address"]`)?.focus();
  }, [added, desk.revision.number]);

  const send = (operation: Parameters<typeof revise.mutate>[0]['operations'][number]) =>
    revise.mutate({ operations: [operation], revision: desk.revision.number });
  const add = () => {
    const key = freshId(desk.plan.hosts);
    const names = new Set(hosts.map(([, host]) => host.name));
    let number = hosts.length + 1;
    while (names.has(`host ${number}`)) number += 1;
    send({ op: 'add', path: `/hosts/${key}`, value: { segment: id, name: `host ${number}` } });
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
            {hosts.map(([key, host]) => (
              <HostRow
                key={key}
                id={key}
                host={host}
                lit={lit === `/hosts/${key}`}
                {...(mayPlan ? { onRemove: () => send(remove(`/hosts/${key}`)) } : {})}
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

function HostRow(props: { id: string; host: Host; lit: boolean; onRemove?: () => void }) {
  const { id, host, lit, onRemove } = props;
  const field = (key: 'name' | 'kind' | 'address' | 'mac', label: string) => (
    <TypedField
      hideLabel
      path={`/hosts/${id}/${key}`}
      label={`${label} of ${host.name}`}
      value={host[key] ?? ''}
    />
  );
  return (
    <tr data-path={`/hosts/${id}`} className={lit ? styles.lit : ''}>
      <td>{field('name', 'Name')}</td>
      <td>{field('kind', 'Kind')}</td>
      <td>{field('address', 'Address')}</td>
      <td>{field('mac', 'MAC')}</td>
      <td>
        <TypedField
          hideLabel
          path={`/hosts/${id}/method`}
          label={`Method of ${host.name}`}
          value={host.method}
          choices={METHODS}
        />
      </td>
      <td>
        {onRemove && (
          <Button color="error" aria-label={`Remove ${host.name}`} onClick={onRemove}>
            Remove
          </Button>
        )}
      </td>
    </tr>
  );
}
