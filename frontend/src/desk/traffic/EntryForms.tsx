import { useState, type ReactNode } from 'react';
import type { Schemas } from '../../api/client';
import { type Choices, labelsOf, Line, Options, Press, Select } from '../../parts/controls';
import { Trouble } from '../../parts/Trouble';
import { useDeskState } from '../context';
import { readService } from './queries';
import styles from './traffic.module.css';

interface Adding<T> {
  onAdd: (entry: T) => void;
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

function Form({ children, waits, onAdd }: { children: ReactNode; waits: string; onAdd: () => void }) {
  return (
    <form
      className={`line near wrap ${styles.entryForm}`}
      onSubmit={(event) => {
        event.preventDefault();
        if (!waits) onAdd();
      }}
    >
      {children}
      <Press type="submit" waits={waits}>
        Add it
      </Press>
    </form>
  );
}

export function AllowForm({ onAdd }: Adding<Partial<Schemas['Allow']>>) {
  const { name, desk } = useDeskState();
  const segments = labelsOf(desk.plan.segments);
  const hosts = Object.entries(desk.plan.hosts).map(([key, host]) => [key, host.name] as const);
  const outside: Choices = [
    ['internet', 'the internet'],
    ['other-sites', 'other sites'],
  ];
  const [source, setSource] = useState(segments[0]?.[0] ?? 'internet');
  const [target, setTarget] = useState('internet');
  const [service, setService] = useState('any');
  const [problem, setProblem] = useState('');
  const add = async () => {
    try {
      onAdd({ source, target, service: await readService(name, service) });
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  return (
    <Form waits={!service.trim() ? 'write the service' : ''} onAdd={() => void add()}>
      <Word label="From" value={source} choices={[...segments, ...outside, ...hosts]} onChange={setSource} />{' '}
      to
      <Word
        label="To"
        value={target}
        choices={[...outside, ['all', 'everything'], ...segments, ...hosts]}
        onChange={setTarget}
      />
      by
      <Line
        aria-label="Service"
        className="mono"
        style={{ width: 110 }}
        value={service}
        onChange={(event) => setService(event.target.value)}
      />
      {problem && <Trouble>{problem}</Trouble>}
    </Form>
  );
}

export function TranslationForm({ onAdd }: Adding<Partial<Schemas['Translation']>>) {
  const { desk } = useDeskState();
  const [segments, circuits] = [labelsOf(desk.plan.segments), labelsOf(desk.plan.circuits)];
  const [segment, setSegment] = useState(segments[0]?.[0] ?? '');
  const [circuit, setCircuit] = useState(circuits[0]?.[0] ?? '');
  const [address, setAddress] = useState('');
  return (
    <Form
      waits={!segment || !circuit ? 'choose both' : ''}
      onAdd={() => onAdd({ segment, circuit, address: address.trim() || null })}
    >
      <Word label="Segment" value={segment} choices={segments} onChange={setSegment} /> to
      <Word label="Circuit" value={circuit} choices={circuits} onChange={setCircuit} />
      as
      <Line
        aria-label="Address"
        className="mono"
        style={{ width: 150 }}
        placeholder={desk.plan.circuits[circuit]?.address ?? 'its own address'}
        value={address}
        onChange={(event) => setAddress(event.target.value)}
      />
    </Form>
  );
}

export function RouteForm({ onAdd }: Adding<Partial<Schemas['Route']>>) {
  const { desk } = useDeskState();
  const circuits = labelsOf(desk.plan.circuits);
  const [to, setTo] = useState('0.0.0.0/0');
  const [by, setBy] = useState(circuits[0]?.[0] ?? '');
  const [via, setVia] = useState('');
  const [metric, setMetric] = useState('10');
  const [table, setTable] = useState('');
  const members = [...Object.values(desk.plan.segments), ...Object.values(desk.plan.circuits)];
  const tables = [...new Set(members.map((one) => one.vrf))].filter(Boolean);
  return (
    <Form
      waits={!to || (!by && !via) || !metric ? 'write where it leads and by what' : ''}
      onAdd={() =>
        onAdd({
          to,
          circuit: by || null,
          via: by ? null : via,
          metric: Number(metric),
          table: by ? null : table || null,
        })
      }
    >
      <Line
        aria-label="To subnet"
        className="mono"
        style={{ width: 150 }}
        value={to}
        onChange={(event) => setTo(event.target.value)}
      />{' '}
      by
      <Word label="By circuit" value={by} choices={[...circuits, ['', 'a next hop:']]} onChange={setBy} />
      {!by && (
        <Line
          aria-label="Next hop"
          className="mono"
          style={{ width: 130 }}
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
      {!by && tables.length > 1 && (
        <Word
          label="Routing table"
          value={table}
          choices={[
            ['', 'in the table of the next hop'],
            ...tables.map((one) => [one, `in ${one}`] as const),
          ]}
          onChange={setTable}
        />
      )}
    </Form>
  );
}

export function RelayForm({
  relays,
  onAdd,
}: Adding<{ segment: string; server: string }> & { relays: object }) {
  const { desk } = useDeskState();
  const segments = labelsOf(desk.plan.segments).filter(([key]) => !(key in relays));
  const [segment, setSegment] = useState(segments[0]?.[0] ?? '');
  const [server, setServer] = useState('');
  return (
    <Form
      waits={!segment || !server.trim() ? 'choose the segment and write the server' : ''}
      onAdd={() => onAdd({ segment, server: server.trim() })}
    >
      <Word label="Of segment" value={segment} choices={segments} onChange={setSegment} /> to
      <Line
        aria-label="Server"
        className="mono"
        style={{ width: 150 }}
        placeholder="10.40.8.10"
        value={server}
        onChange={(event) => setServer(event.target.value)}
      />
    </Form>
  );
}

const SERVICES: Choices = [
  ['https', 'HTTPS'],
  ['ssh', 'SSH'],
  ['snmp', 'SNMP'],
  ['http', 'HTTP'],
  ['telnet', 'Telnet'],
];

export function AccessForm({ onAdd }: Adding<Partial<Schemas['Access']>>) {
  const { desk } = useDeskState();
  const segments = labelsOf(desk.plan.segments);
  const [service, setService] = useState('https');
  const [from, setFrom] = useState(segments[0]?.[0] ?? '');
  const [networks, setNetworks] = useState('');
  return (
    <Form
      waits={!from && !networks.trim() ? 'choose from where' : ''}
      onAdd={() =>
        onAdd({
          service: service as Schemas['Service'],
          segment: from || null,
          networks: from ? [] : networks.split(/[\s,;]+/).filter(Boolean),
        })
      }
    >
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
    </Form>
  );
}
