import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableHead from '@mui/material/TableHead';
import TableRow from '@mui/material/TableRow';
import Button from '@mui/material/Button';
import { useState, type ReactNode } from 'react';
import type { HardwareType } from '../api/client';
import { BLANK_SLOT, keyOf } from './blank';
import styles from './hardware.module.css';
import { useSaveType } from './queries';
import { Line, Lines, Select, Tick } from '../parts/controls';

type Port = HardwareType['panel'][number];
type Slot = HardwareType['slots'][string];

interface Props {
  type: HardwareType;
  version: number;
  onDone: (saved: string | null) => void;
}

/** A type being written: a draft here until it is saved as a version. */
export function TypeEditor({ type, version, onDone }: Props) {
  const [draft, setDraft] = useState(type);
  const [lights, setLights] = useState(pairsOf(type.lights));
  const [licences, setLicences] = useState(pairsOf(type.licences));
  const [slots, setSlots] = useState(Object.entries(type.slots));
  const save = useSaveType();
  const { factory } = draft;
  const put = (values: Partial<HardwareType>) => setDraft({ ...draft, ...values });
  const fact = (values: Partial<HardwareType['factory']>) => put({ factory: { ...factory, ...values } });
  const whole = (): HardwareType => ({
    ...draft,
    key: version === 0 ? keyOf(draft.maker, draft.model) : draft.key,
    leftovers: draft.leftovers.filter((line) => line.trim()),
    lights: mapOf(lights),
    licences: mapOf(licences),
    slots: Object.fromEntries(slots.filter(([key]) => key.trim())),
  });
  return (
    <form
      className={styles.form}
      aria-label="Hardware type"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate({ type: whole(), version }, { onSuccess: (saved) => onDone(saved.type.key) });
      }}
    >
      <header className={styles.head}>
        <h1>{version === 0 ? 'A new hardware type' : `${type.maker} ${type.model}`}</h1>
        <span style={{ marginLeft: 'auto' }} />
        <Button
          type="submit"
          variant="contained"
          loading={save.isPending}
          disabled={!draft.maker || !draft.model}
        >
          {version === 0 ? 'Save it' : `Save as version ${version + 1}`}
        </Button>
        <Button onClick={() => onDone(null)}>Leave it as it was</Button>
      </header>
      {save.error && (
        <p role="alert" className={styles.error}>
          {save.error.message}. What you wrote is still here.
        </p>
      )}
      <Group title="What it is">
        <Words label="Maker" value={draft.maker} onChange={(maker) => put({ maker: maker ?? '' })} />
        <Words label="Model" value={draft.model} onChange={(model) => put({ model: model ?? '' })} />
        <Pick
          label="Kind"
          value={draft.kind}
          choices={['router', 'firewall', 'switch', 'access point', 'modem']}
          onChange={(kind) => put({ kind })}
        />
        <Check label="It has Wi-Fi of its own" value={draft.radio} onChange={(radio) => put({ radio })} />
      </Group>
      <Ports panel={draft.panel} onChange={(panel) => put({ panel })} />
      <Group title="Out of its carton">
        <Pick
          label="Address"
          value={factory.addressing}
          choices={['fixed', 'dhcp', 'none']}
          words={{ fixed: 'a fixed one', dhcp: 'asks for one by DHCP', none: 'none' }}
          onChange={(addressing) => fact({ addressing })}
        />
        {factory.addressing === 'fixed' && (
          <>
            <Words
              mono
              label="Factory address"
              value={factory.address}
              onChange={(address) => fact({ address })}
            />
            <Whole label="Mask, in bits" value={factory.prefix} onChange={(prefix) => fact({ prefix })} />
            <Words
              mono
              label="Leases to the laptop (empty: none)"
              value={factory.leases}
              onChange={(leases) => fact({ leases })}
            />
          </>
        )}
        <Pick
          label="Its own pages"
          value={factory.web ?? ''}
          choices={['https', 'http', '']}
          words={{ '': 'it has none' }}
          onChange={(web) => fact({ web: web || null })}
        />
        {factory.web && (
          <>
            <Whole
              label="Port, if not the usual"
              value={factory.web_port}
              onChange={(web_port) => fact({ web_port })}
            />
            <Words
              label="What the browser will say"
              value={factory.certificate_warning}
              onChange={(certificate_warning) => fact({ certificate_warning })}
            />
          </>
        )}
        <Words
          label="Answers on the network (https, ssh, telnet…)"
          value={factory.services.join(' ')}
          onChange={(text) =>
            fact({
              services: (text ?? '')
                .toLowerCase()
                .split(/[\s,]+/)
                .filter(Boolean) as typeof factory.services,
            })
          }
        />
        <Words label="User" value={factory.user} onChange={(user) => fact({ user })} />
        <Pick
          label="First password"
          value={factory.password}
          choices={['label', 'known', 'blank', 'chosen']}
          words={{
            label: 'on the label',
            known: "the maker's own",
            blank: 'empty',
            chosen: 'chosen at first log-in',
          }}
          onChange={(password) => fact({ password })}
        />
        {factory.password === 'known' && (
          <Words
            mono
            label="The maker's own password"
            value={factory.known_password}
            onChange={(known_password) => fact({ known_password })}
          />
        )}
        <Check
          label="Interfaces are switched off"
          value={factory.interfaces_disabled}
          onChange={(interfaces_disabled) => fact({ interfaces_disabled })}
        />
        <Check
          label="Everything is blocked until allowed"
          value={factory.blocked}
          onChange={(blocked) => fact({ blocked })}
        />
        <Pick
          label="Changes take effect"
          value={draft.takes}
          choices={['at once', 'after apply', 'after commit']}
          onChange={(takes) => put({ takes })}
        />
        <Pick
          label="Kept over a power cut"
          value={draft.kept}
          choices={['always', 'when saved']}
          onChange={(kept) => put({ kept })}
        />
        <Check
          label="Only a restart lets changes take effect"
          value={draft.restart_needed}
          onChange={(restart_needed) => put({ restart_needed })}
        />
        <Check
          label="SSH needs a full name"
          value={draft.ssh_needs_full_name}
          onChange={(ssh_needs_full_name) => put({ ssh_needs_full_name })}
        />
      </Group>
      <Group title="Console">
        <Check
          label="It has a console port"
          value={draft.console !== null}
          onChange={(has) =>
            put({
              console: has
                ? {
                    connector: 'RJ45',
                    speed: 9600,
                    data_bits: 8,
                    parity: 'none',
                    stop_bits: 1,
                    flow_control: 'none',
                  }
                : null,
            })
          }
        />
        {draft.console && <ConsoleFields console={draft.console} onChange={(console) => put({ console })} />}
      </Group>
      <Slots slots={slots} onChange={setSlots} />
      <Group title="Firmware">
        <Words
          label="Wanted level"
          value={draft.firmware.wanted}
          onChange={(wanted) => put({ firmware: { ...draft.firmware, wanted } })}
        />
        <Words
          label="How it is updated"
          value={draft.firmware.how}
          onChange={(how) => put({ firmware: { ...draft.firmware, how } })}
        />
      </Group>
      <Pairs title="Licences" first="Licence" second="Needed for" pairs={licences} onChange={setLicences} />
      <Pairs title="Lights" first="Light" second="When all is well" pairs={lights} onChange={setLights} />
      <section>
        <h3>To be removed: what its own wizard leaves behind, a line each</h3>
        <Lines
          rows={3}
          aria-label="To be removed"
          value={draft.leftovers.join('\n')}
          onChange={(event) => put({ leftovers: event.target.value.split('\n') })}
        />
      </section>
    </form>
  );
}

type Pair = [name: string, value: string];

const pairsOf = (map: Record<string, string>): Pair[] => Object.entries(map);
const mapOf = (pairs: Pair[]) => Object.fromEntries(pairs.filter(([name]) => name.trim()));

function Group({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section>
      <h3>{title}</h3>
      <div className={styles.fields}>{children}</div>
    </section>
  );
}

function Words(props: {
  label: string;
  value: string | null;
  mono?: boolean;
  onChange: (value: string | null) => void;
}) {
  return (
    <label className={styles.field}>
      {props.label}
      <Line
        className={props.mono ? 'mono' : undefined}
        value={props.value ?? ''}
        maxLength={200}
        spellCheck={false}
        onChange={(event) => props.onChange(event.target.value || null)}
      />
    </label>
  );
}

function Whole(props: { label: string; value: number | null; onChange: (value: number | null) => void }) {
  return (
    <label className={styles.field}>
      {props.label}
      <Line
        className="mono"
        inputMode="numeric"
        value={props.value ?? ''}
        onChange={(event) => {
          const digits = event.target.value.replace(/\D/g, '').slice(0, 7);
          props.onChange(digits ? Number(digits) : null);
        }}
      />
    </label>
  );
}

function Pick<T extends string>(props: {
  label: string;
  value: T;
  choices: T[];
  words?: Partial<Record<T, string>>;
  onChange: (value: T) => void;
}) {
  return (
    <label className={styles.field}>
      {props.label}
      <Select value={props.value} onChange={(event) => props.onChange(event.target.value as T)}>
        {props.choices.map((choice) => (
          <option key={choice} value={choice}>
            {props.words?.[choice] ?? choice}
          </option>
        ))}
      </Select>
    </label>
  );
}

function Check(props: { label: string; value: boolean; onChange: (value: boolean) => void }) {
  return (
    <label className={styles.check}>
      <Tick checked={props.value} onChange={(event) => props.onChange(event.target.checked)} />
      {props.label}
    </label>
  );
}

function Ports({ panel, onChange }: { panel: Port[]; onChange: (panel: Port[]) => void }) {
  const put = (index: number, values: Partial<Port>) =>
    onChange(panel.map((port, place) => (place === index ? { ...port, ...values } : port)));
  const last = panel.at(-1);
  return (
    <section>
      <h3>Ports, in the order they are seen on the box</h3>
      <Table className={styles.rows}>
        <TableHead>
          <TableRow>
            <TableCell component="th" scope="col">
              As printed
            </TableCell>
            <TableCell component="th" scope="col">
              Medium
            </TableCell>
            <TableCell component="th" scope="col">
              Factory role
            </TableCell>
            <TableCell component="th" scope="col">
              Bridged as
            </TableCell>
            <TableCell component="th" scope="col">
              Laptop may
            </TableCell>
            <TableCell component="th" scope="col">
              If not, why
            </TableCell>
            <TableCell component="th" scope="col" />
          </TableRow>
        </TableHead>
        <TableBody>
          {panel.map((port, index) => (
            <TableRow key={index}>
              <TableCell>
                <Line
                  aria-label={`Name of port ${index + 1}`}
                  className="mono"
                  value={port.name}
                  maxLength={24}
                  onChange={(event) => put(index, { name: event.target.value })}
                />
              </TableCell>
              <TableCell>
                <Select
                  aria-label={`Medium of ${port.name}`}
                  value={port.medium}
                  onChange={(event) => put(index, { medium: event.target.value as Port['medium'] })}
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
                  onChange={(event) =>
                    put(index, { factory_role: event.target.value as Port['factory_role'] })
                  }
                >
                  {['internet', 'inside', 'management', 'none'].map((role) => (
                    <option key={role}>{role}</option>
                  ))}
                </Select>
              </TableCell>
              <TableCell>
                <Line
                  aria-label={`Bridge of ${port.name}`}
                  value={port.bridge ?? ''}
                  maxLength={80}
                  onChange={(event) => put(index, { bridge: event.target.value || null })}
                />
              </TableCell>
              <TableCell>
                <Tick
                  aria-label={`The laptop may plug into ${port.name}`}
                  checked={port.laptop}
                  onChange={(event) => put(index, { laptop: event.target.checked })}
                />
              </TableCell>
              <TableCell>
                <Line
                  aria-label={`Why not into ${port.name}`}
                  value={port.why_not ?? ''}
                  maxLength={200}
                  onChange={(event) => put(index, { why_not: event.target.value || null })}
                />
              </TableCell>
              <TableCell>
                <Button
                  aria-label={`Remove port ${port.name}`}
                  onClick={() => onChange(panel.filter((_, place) => place !== index))}
                >
                  ×
                </Button>
              </TableCell>
            </TableRow>
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

/** The name of the port beside one: 4 after 3, LAN2 after LAN1. */
function nextName(name: string): string {
  const match = /^(.*?)(\d+)$/.exec(name);
  return match ? `${match[1]}${Number(match[2]) + 1}` : '1';
}

function ConsoleFields(props: {
  console: NonNullable<HardwareType['console']>;
  onChange: (console: NonNullable<HardwareType['console']>) => void;
}) {
  const { console, onChange } = props;
  return (
    <>
      <Words
        label="Connector"
        value={console.connector}
        onChange={(connector) => onChange({ ...console, connector: connector ?? '' })}
      />
      <Whole
        label="Speed, bit/s"
        value={console.speed}
        onChange={(speed) => onChange({ ...console, speed: speed ?? 9600 })}
      />
      <Whole
        label="Data bits"
        value={console.data_bits}
        onChange={(data_bits) => onChange({ ...console, data_bits: data_bits ?? 8 })}
      />
      <Pick
        label="Parity"
        value={console.parity}
        choices={['none', 'even', 'odd']}
        onChange={(parity) => onChange({ ...console, parity })}
      />
      <Pick
        label="Stop bits"
        value={String(console.stop_bits) as '1' | '2'}
        choices={['1', '2']}
        onChange={(bits) => onChange({ ...console, stop_bits: bits === '2' ? 2 : 1 })}
      />
      <Pick
        label="Flow control"
        value={console.flow_control}
        choices={['none', 'hardware', 'software']}
        onChange={(flow_control) => onChange({ ...console, flow_control })}
      />
    </>
  );
}

function Slots({
  slots,
  onChange,
}: {
  slots: [string, Slot][];
  onChange: (slots: [string, Slot][]) => void;
}) {
  const put = (index: number, key: string, values: Partial<Slot>) =>
    onChange(
      slots.map(([name, slot], place) => (place === index ? [key, { ...slot, ...values }] : [name, slot])),
    );
  const classes = ['lower', 'upper', 'digit', 'symbol'] as const;
  const words = { lower: 'abc', upper: 'ABC', digit: '123', symbol: '-/!' };
  return (
    <section>
      <h3>Secrets it takes, and what each must be like</h3>
      {slots.map(([key, slot], index) => (
        <fieldset key={index} className={styles.slot}>
          <label className={styles.field}>
            Key
            <Line
              className="mono"
              value={key}
              maxLength={40}
              onChange={(event) =>
                put(index, event.target.value.toLowerCase().replace(/[^a-z0-9-]/g, '-'), {})
              }
            />
          </label>
          <Words label="What it is" value={slot.label} onChange={(label) => put(index, key, { label })} />
          <Whole
            label="Shortest"
            value={slot.shortest}
            onChange={(n) => put(index, key, { shortest: n ?? 1 })}
          />
          <Whole
            label="Longest"
            value={slot.longest}
            onChange={(n) => put(index, key, { longest: n ?? 1 })}
          />
          <span className={styles.classes} role="group" aria-label="Must hold">
            {classes.map((name) => (
              <label key={name} className={styles.check}>
                <Tick
                  disabled={slot.digits_only}
                  checked={slot[name]}
                  onChange={(event) => put(index, key, { [name]: event.target.checked })}
                />
                {words[name]}
              </label>
            ))}
          </span>
          <Check
            label="Digits only"
            value={slot.digits_only}
            onChange={(digits_only) => put(index, key, { digits_only })}
          />
          <Words
            mono
            label="Characters it does not take"
            value={slot.forbidden}
            onChange={(forbidden) => put(index, key, { forbidden: forbidden ?? '' })}
          />
          <Words
            mono
            label="Must differ from (keys)"
            value={slot.distinct_from.join(' ')}
            onChange={(text) =>
              put(index, key, { distinct_from: (text ?? '').split(/[\s,]+/).filter(Boolean) })
            }
          />
          <Button
            aria-label={`Remove secret ${key}`}
            onClick={() => onChange(slots.filter((_, place) => place !== index))}
          >
            ×
          </Button>
        </fieldset>
      ))}
      <Button onClick={() => onChange([...slots, [`secret-${slots.length + 1}`, BLANK_SLOT]])}>
        Add a secret
      </Button>
    </section>
  );
}

function Pairs(props: {
  title: string;
  first: string;
  second: string;
  pairs: Pair[];
  onChange: (pairs: Pair[]) => void;
}) {
  const { title, first, second, pairs, onChange } = props;
  const put = (index: number, pair: Pair) =>
    onChange(pairs.map((one, place) => (place === index ? pair : one)));
  return (
    <section>
      <h3>{title}</h3>
      {pairs.map(([name, value], index) => (
        <div key={index} className={styles.pair}>
          <Line
            aria-label={`${first} ${index + 1}`}
            placeholder={first}
            value={name}
            maxLength={80}
            onChange={(event) => put(index, [event.target.value, value])}
          />
          <Line
            aria-label={`${second} ${index + 1}`}
            placeholder={second}
            value={value}
            maxLength={200}
            onChange={(event) => put(index, [name, event.target.value])}
          />
          <Button
            aria-label={`Remove ${name}`}
            onClick={() => onChange(pairs.filter((_, place) => place !== index))}
          >
            ×
          </Button>
        </div>
      ))}
      <Button onClick={() => onChange([...pairs, ['', '']])}>Add a line</Button>
    </section>
  );
}
