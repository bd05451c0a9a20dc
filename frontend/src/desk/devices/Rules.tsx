import Button from '@mui/material/Button';
import { useState, type ReactNode } from 'react';
import type { Device, Operation, Schemas } from '../../api/client';
import { useRevise } from '../../api/queries';
import { type Choices, Line, Options, Select, Press } from '../../parts/controls';
import { Trouble } from '../../parts/Trouble';
import { freshId, remove } from '../addresses/edits';
import { useDeskState } from '../context';
import styles from './devices.module.css';

/** Routes, translation, allowed flows and management access of one box. */
export function Rules({ id, device }: { id: string; device: Device }) {
  const { desk } = useDeskState();
  const { plan } = desk;
  const segments = Object.entries(plan.segments).map(([key, s]) => [key, s.label] as const);
  const circuits = Object.entries(plan.circuits).map(([key, c]) => [key, c.label] as const);
  const routing = device.role === 'edge' || device.role === 'inner-router';
  const label = (key: string | null) =>
    key === 'internet'
      ? 'the internet'
      : key === 'all'
        ? 'everything'
        : (plan.segments[key ?? '']?.label ?? plan.circuits[key ?? '']?.label ?? 'something removed');
  return (
    <div className={styles.rules}>
      {routing && (
        <Lines<Schemas['Route']>
          id={id}
          part="routes"
          title="Routes"
          members={device.routes}
          words={(route) =>
            `${route.to === '0.0.0.0/0' || route.to === '::/0' ? 'anywhere' : route.to} by ${
              route.via ?? (route.circuit ? label(route.circuit) : 'nothing')
            }, metric ${route.metric}`
          }
          form={(add) => <RouteForm circuits={circuits} onAdd={add} />}
        />
      )}
      {routing && (
        <Lines<Schemas['Translation']>
          id={id}
          part="translations"
          title="Address translation"
          members={device.translations}
          words={(one) => `${label(one.segment)} to the address of ${label(one.circuit)}`}
          form={(add) => (
            <PairForm
              first={segments}
              second={circuits}
              between="to"
              onAdd={(segment, circuit) => add({ segment, circuit })}
            />
          )}
        />
      )}
      {routing && (
        <Lines<Schemas['Allow']>
          id={id}
          part="allows"
          title="Allowed flows"
          members={device.allows}
          words={(one) =>
            `${label(one.source)} to ${label(one.target)}${one.service === 'any' ? '' : `, ${one.service}`}`
          }
          form={(add) => (
            <PairForm
              first={[...segments, ['internet', 'the internet']]}
              second={[['internet', 'the internet'], ['all', 'everything'], ...segments]}
              between="to"
              onAdd={(source, target) => add({ source, target, service: 'any' })}
            />
          )}
        />
      )}
      <Lines<Schemas['Access']>
        id={id}
        part="access"
        title="Managed by"
        members={device.access}
        words={(one) =>
          `${one.service.toUpperCase()} from ${[one.segment && label(one.segment), ...one.networks].filter(Boolean).join(', ') || 'nowhere'}`
        }
        form={(add) => <AccessForm segments={segments} onAdd={add} />}
      />
    </div>
  );
}

interface LinesProps<T> {
  id: string;
  part: 'routes' | 'translations' | 'allows' | 'access';
  title: string;
  members: Record<string, T>;
  words: (member: T) => string;
  form: (add: (member: Partial<T>) => void) => ReactNode;
}

function Lines<T>({ id, part, title, members, words, form }: LinesProps<T>) {
  const { name, desk, mayPlan } = useDeskState();
  const revise = useRevise(name);
  const [adding, setAdding] = useState(false);
  const path = `/devices/${id}/${part}`;
  const save = (operation: Operation) =>
    revise.mutate(
      { operations: [operation], revision: desk.revision.number },
      { onSuccess: () => setAdding(false) },
    );
  return (
    <section aria-label={title} data-field={path} tabIndex={-1}>
      <h4>{title}</h4>
      <ul>
        {Object.entries(members).map(([key, member]) => (
          <li key={key} data-field={`${path}/${key}`} tabIndex={-1}>
            {words(member)}
            {mayPlan && (
              <button
                className={`quiet ${styles.remove}`}
                aria-label={`Remove ${words(member)}`}
                onClick={() => save(remove(`${path}/${key}`))}
              >
                ×
              </button>
            )}
          </li>
        ))}
        {Object.keys(members).length === 0 && <li className="quiet">none</li>}
      </ul>
      {adding && form((member) => save({ op: 'add', path: `${path}/${freshId(members)}`, value: member }))}
      {mayPlan && !adding && <Button onClick={() => setAdding(true)}>Add</Button>}
      {revise.error && <Trouble>{revise.error.message}</Trouble>}
    </section>
  );
}

/** One of few, told by the sentence around it. */
function Word(props: { label: string; value: string; choices: Choices; onChange: (value: string) => void }) {
  const { label, value, choices, onChange } = props;
  return (
    <Select aria-label={label} value={value} onChange={(event) => onChange(event.target.value)}>
      <Options of={choices} />
    </Select>
  );
}

function PairForm(props: {
  first: Choices;
  second: Choices;
  between: string;
  onAdd: (first: string, second: string) => void;
}) {
  const { first, second, between, onAdd } = props;
  const [pair, setPair] = useState([first[0]?.[0] ?? '', second[0]?.[0] ?? ''] as const);
  return (
    <div className={`line near wrap ${styles.form}`}>
      <Word label="From" value={pair[0]} choices={first} onChange={(value) => setPair([value, pair[1]])} />{' '}
      {between}{' '}
      <Word label="To" value={pair[1]} choices={second} onChange={(value) => setPair([pair[0], value])} />
      <Press waits={!pair[0] || !pair[1] ? 'choose both' : ''} onClick={() => onAdd(pair[0], pair[1])}>
        Add it
      </Press>
    </div>
  );
}

function RouteForm({
  circuits,
  onAdd,
}: {
  circuits: Choices;
  onAdd: (route: Partial<Schemas['Route']>) => void;
}) {
  const [to, setTo] = useState('0.0.0.0/0');
  const [by, setBy] = useState(circuits[0]?.[0] ?? '');
  const [via, setVia] = useState('');
  const [metric, setMetric] = useState('10');
  return (
    <div className={`line near wrap ${styles.form}`}>
      <Line
        aria-label="To subnet"
        className="mono"
        value={to}
        onChange={(event) => setTo(event.target.value)}
      />{' '}
      by
      <Word label="By circuit" value={by} choices={[...circuits, ['', 'a next hop:']]} onChange={setBy} />
      {!by && (
        <Line
          aria-label="Next hop"
          className="mono"
          placeholder="10.40.8.2"
          value={via}
          onChange={(event) => setVia(event.target.value)}
        />
      )}
      metric
      <Line
        aria-label="Metric"
        className="mono"
        style={{ width: 60 }}
        value={metric}
        onChange={(event) => setMetric(event.target.value.replace(/\D/g, '').slice(0, 5))}
      />
      <Press
        waits={!to || (!by && !via) || !metric ? 'write where it leads and by what' : ''}
        onClick={() => onAdd({ to, circuit: by || null, via: by ? null : via, metric: Number(metric) })}
      >
        Add it
      </Press>
    </div>
  );
}

const SERVICES: Choices = [
  ['https', 'HTTPS'],
  ['ssh', 'SSH'],
  ['snmp', 'SNMP'],
  ['http', 'HTTP'],
  ['telnet', 'Telnet'],
];

function AccessForm({
  segments,
  onAdd,
}: {
  segments: Choices;
  onAdd: (access: Partial<Schemas['Access']>) => void;
}) {
  const [service, setService] = useState('https');
  const [from, setFrom] = useState(segments[0]?.[0] ?? '');
  const [networks, setNetworks] = useState('');
  return (
    <div className={`line near wrap ${styles.form}`}>
      <Word label="Service" value={service} choices={SERVICES} onChange={setService} /> from
      <Word
        label="From segment"
        value={from}
        choices={[...segments, ['', 'networks outside:']]}
        onChange={setFrom}
      />
      {!from && (
        <Line
          aria-label="Networks outside"
          className="mono"
          placeholder="198.51.100.0/28"
          value={networks}
          onChange={(event) => setNetworks(event.target.value)}
        />
      )}
      <Press
        waits={!from && !networks.trim() ? 'choose from where' : ''}
        onClick={() =>
          onAdd({
            service: service as Schemas['Service'],
            segment: from || null,
            networks: from ? [] : networks.split(/[\s,;]+/).filter(Boolean),
          })
        }
      >
        Add it
      </Press>
    </div>
  );
}
