import Button from '@mui/material/Button';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import type { HardwareType } from '../api/client';
import { Line, Select, Tick } from '../parts/controls';
import { Heads } from '../parts/Heads';
import styles from './hardware.module.css';

type Port = HardwareType['panel'][number];

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
      <Button
        onClick={() =>
          onChange([
            ...panel,
            {
              medium: 'copper',
              factory_role: 'inside',
              bridge: 'inside',
              laptop: true,
              why_not: null,
              powers: false,
              ...last,
              name: nextName(last?.name ?? '0'),
            },
          ])
        }
      >
        Add a port
      </Button>
    </section>
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

/** The name of the port beside one: 4 after 3, LAN2 after LAN1. */
function nextName(name: string): string {
  const match = /^(.*?)(\d+)$/.exec(name);
  return match ? `${match[1]}${Number(match[2]) + 1}` : '1';
}
