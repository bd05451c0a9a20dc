import Button from '@mui/material/Button';
import { useState } from 'react';
import { Choice, labelsOf, Line, Press } from '../../parts/controls';
import { Trouble } from '../../parts/Trouble';
import { useDeskState, useSteps } from '../context';
import { publishedWords } from './published';
import { endPublication, publish } from './queries';
import styles from './traffic.module.css';

/** What of the site is reachable from outside: which address, what for, which host; each with its way to end. */
export function Published() {
  const { name, desk, mayPlan } = useDeskState();
  const { keep } = useSteps();
  const [adding, setAdding] = useState(false);
  const [problem, setProblem] = useState('');
  const { plan } = desk;
  const shown = Object.entries(plan.devices).flatMap(([device, box]) =>
    Object.entries(box.publications).map(([key, one]) => ({ device, key, one })),
  );
  const end = async (device: string, key: string) => {
    setProblem('');
    try {
      keep(await endPublication(name, device, key), desk.revision.number);
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  return (
    <section className={`card part ${styles.published}`} aria-label="Published">
      <div className="line baseline">
        <h2>Reachable from outside</h2>
        <span className="quiet">{shown.length === 0 && 'nothing'}</span>
        <span className="end" />
        {mayPlan && !adding && Object.keys(plan.hosts).length > 0 && (
          <Button onClick={() => setAdding(true)}>Publish something</Button>
        )}
      </div>
      <ul>
        {shown.map(({ device, key, one }) => (
          <li key={`${device} ${key}`} data-field={`/devices/${device}/publications/${key}`} tabIndex={-1}>
            {publishedWords(plan, one)}
            {mayPlan && (
              <button
                className={`quiet ${styles.remove}`}
                aria-label={`End ${publishedWords(plan, one)}`}
                onClick={() => void end(device, key)}
              >
                ×
              </button>
            )}
          </li>
        ))}
      </ul>
      {adding && <PublishForm onDone={() => setAdding(false)} />}
      {problem && <Trouble>{problem}</Trouble>}
    </section>
  );
}

const BLANK = { circuit: '', host: '', service: 'https', address: '', port: '', sources: '' };

/** A new publication: made together with the rule that lets it in. `at` is an address that it begins with. */
export function PublishForm({
  onDone,
  at,
}: {
  onDone: () => void;
  at?: { circuit: string; address: string };
}) {
  const { name, desk } = useDeskState();
  const { keep } = useSteps();
  const { plan } = desk;
  const circuits = labelsOf(plan.circuits);
  const hosts = Object.entries(plan.hosts).map(
    ([key, host]) => [key, `${host.name} ${host.address ?? ''}`] as const,
  );
  const [wanted, setWanted] = useState({
    ...BLANK,
    circuit: at?.circuit ?? circuits[0]?.[0] ?? '',
    host: hosts[0]?.[0] ?? '',
    address: at?.address ?? '',
  });
  const [problem, setProblem] = useState('');
  const set = (some: Partial<typeof BLANK>) => setWanted({ ...wanted, ...some });
  const save = async () => {
    setProblem('');
    try {
      const operations = await publish(name, {
        circuit: wanted.circuit,
        host: wanted.host,
        service: wanted.service,
        address: wanted.address.trim() || null,
        port: wanted.port ? Number(wanted.port) : null,
        sources: wanted.sources.split(/[\s,;]+/).filter(Boolean),
        reason: '',
      });
      keep(operations, desk.revision.number);
      onDone();
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  const line = plan.circuits[wanted.circuit];
  return (
    <form
      className={styles.form}
      aria-label="Publish"
      onSubmit={(event) => {
        event.preventDefault();
        void save();
      }}
    >
      <Choice
        autoFocus
        label="Host inside"
        value={wanted.host}
        choices={hosts}
        onChoose={(host) => set({ host })}
      />
      <Typed
        label="Service outside"
        value={wanted.service}
        hint="https, tcp/8443, any"
        onType={(service) => set({ service })}
      />
      <Typed
        label="Port inside"
        value={wanted.port}
        hint="as outside"
        onType={(port) => set({ port: port.replace(/\D/g, '').slice(0, 5) })}
      />
      <Choice
        label="By circuit"
        value={wanted.circuit}
        choices={circuits}
        onChoose={(circuit) => set({ circuit })}
      />
      <Typed
        label="Outside address, or its end"
        value={wanted.address}
        hint={line?.address ?? 'the address that it gives'}
        onType={(address) => set({ address })}
      />
      <Typed
        label="Only from"
        value={wanted.sources}
        hint="from anywhere"
        onType={(sources) => set({ sources })}
      />
      <Press
        type="submit"
        variant="contained"
        waits={wanted.host && wanted.circuit && wanted.service ? '' : 'choose host, circuit and service'}
      >
        Publish, and let it in
      </Press>
      <Button onClick={onDone}>Leave it</Button>
      {problem && <Trouble>{problem}</Trouble>}
    </form>
  );
}

function Typed({
  label,
  value,
  hint,
  onType,
}: {
  label: string;
  value: string;
  hint: string;
  onType: (value: string) => void;
}) {
  return (
    <label className="field">
      {label}
      <Line
        className="mono"
        value={value}
        placeholder={hint}
        onChange={(event) => onType(event.target.value)}
      />
    </label>
  );
}
