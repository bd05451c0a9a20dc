import Button from '@mui/material/Button';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import { useState } from 'react';
import { Line, Press, Select, Tick } from '../parts/controls';
import { Heads } from '../parts/Heads';
import { count } from '../parts/words';
import styles from './hardware.module.css';
import { nextName, portLike, portsOf, type Port } from './ports';

const HEADS = [
  'As printed',
  'Medium',
  'Factory role',
  'Bridged as',
  'Laptop may',
  'If not, why',
  'Gives power',
  '',
];

/** The ports of a type, in the order they are seen on the box. */
export function PortsPart({ panel, onChange }: { panel: Port[]; onChange: (panel: Port[]) => void }) {
  const put = (index: number, values: Partial<Port>) =>
    onChange(panel.map((port, place) => (place === index ? { ...port, ...values } : port)));
  const last = panel.at(-1);
  return (
    <section>
      <h3>Ports, in the order they are seen on the box</h3>
      <Table className={styles.rows}>
        <Heads of={HEADS} />
        <TableBody>
          {panel.map((port, index) => (
            <PortRow
              key={index}
              number={index + 1}
              port={port}
              onChange={(values) => put(index, values)}
              onRemove={() => onChange(panel.filter((_, place) => place !== index))}
            />
          ))}
        </TableBody>
      </Table>
      <div className="line wrap">
        <Button onClick={() => onChange([...panel, portLike(last, nextName(last?.name ?? '0'))])}>
          Add a port
        </Button>
        <AddPorts panel={panel} onChange={onChange} />
      </div>
    </section>
  );
}

/** Many ports at once, as people write them: `1-24, 25-28 fibre`. */
function AddPorts({ panel, onChange }: { panel: Port[]; onChange: (panel: Port[]) => void }) {
  const [typed, setTyped] = useState('');
  const { ports, problem } = portsOf(typed, panel.at(-1));
  const there = ports.find((port) => panel.some(({ name }) => name === port.name));
  const told = problem || (there ? `Port ${there.name} is there already` : '');
  const add = () => {
    if (ports.length === 0 || told) return;
    onChange([...panel, ...ports]);
    setTyped('');
  };
  return (
    <>
      <Line
        aria-label="Many ports at once"
        className="mono"
        placeholder="1-24, 25-28 fibre"
        maxLength={200}
        value={typed}
        onChange={(event) => setTyped(event.target.value)}
        onKeyDown={(event) => {
          if (event.key !== 'Enter') return;
          event.preventDefault(); // the form would be saved otherwise
          add();
        }}
      />
      <Press waits={told || (ports.length === 0 ? 'write their names' : '')} onClick={add}>
        {ports.length > 0 ? `Add ${count(ports.length, 'port')}` : 'Add them'}
      </Press>
      {told && typed && <span className="bad">{told}</span>}
    </>
  );
}

function PortRow(props: {
  number: number;
  port: Port;
  onChange: (values: Partial<Port>) => void;
  onRemove: () => void;
}) {
  const { number, port, onChange, onRemove } = props;
  return (
    <TableRow>
      <TableCell>
        <Line
          wide
          aria-label={`Name of port ${number}`}
          className="mono"
          value={port.name}
          maxLength={24}
          onChange={(event) => onChange({ name: event.target.value })}
        />
      </TableCell>
      <TableCell>
        <Select
          aria-label={`Medium of ${port.name}`}
          value={port.medium}
          onChange={(event) => onChange({ medium: event.target.value as Port['medium'] })}
        >
          {['copper', 'fibre', 'cellular', 'console', 'usb'].map((medium) => (
            <option key={medium}>{medium}</option>
          ))}
        </Select>
      </TableCell>
      <TableCell>
        <Select
          aria-label={`Factory role of ${port.name}`}
          value={port.factory_role}
          onChange={(event) => onChange({ factory_role: event.target.value as Port['factory_role'] })}
        >
          {['internet', 'inside', 'management', 'none'].map((role) => (
            <option key={role}>{role}</option>
          ))}
        </Select>
      </TableCell>
      <TableCell>
        <Line
          wide
          aria-label={`Bridge of ${port.name}`}
          value={port.bridge ?? ''}
          maxLength={80}
          onChange={(event) => onChange({ bridge: event.target.value || null })}
        />
      </TableCell>
      <TableCell>
        <Tick
          aria-label={`The laptop may plug into ${port.name}`}
          checked={port.laptop}
          onChange={(event) => onChange({ laptop: event.target.checked })}
        />
      </TableCell>
      <TableCell>
        <Line
          wide
          aria-label={`Why not into ${port.name}`}
          value={port.why_not ?? ''}
          maxLength={200}
          onChange={(event) => onChange({ why_not: event.target.value || null })}
        />
      </TableCell>
      <TableCell>
        <Tick
          aria-label={`Port ${port.name} powers what hangs on it`}
          checked={port.powers}
          onChange={(event) => onChange({ powers: event.target.checked })}
        />
      </TableCell>
      <TableCell>
        <Button aria-label={`Remove port ${port.name}`} onClick={onRemove}>
          ×
        </Button>
      </TableCell>
    </TableRow>
  );
}
