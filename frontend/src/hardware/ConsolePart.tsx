import type { HardwareType } from '../api/client';
import { Check, Group, Pick, Whole, Words } from './inputs';

type Console = NonNullable<HardwareType['console']>;

const USUAL: Console = {
  connector: 'RJ45',
  speed: 9600,
  data_bits: 8,
  parity: 'none',
  stop_bits: 1,
  flow_control: 'none',
};

/** The console port of a type, where it has one. */
export function ConsolePart(props: { console: Console | null; onChange: (console: Console | null) => void }) {
  const { console, onChange } = props;
  return (
    <Group title="Console">
      <Check
        label="It has a console port"
        value={console !== null}
        onChange={(has) => onChange(has ? USUAL : null)}
      />
      {console && <ConsoleFields console={console} onChange={onChange} />}
    </Group>
  );
}

function ConsoleFields(props: { console: Console; onChange: (console: Console) => void }) {
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
