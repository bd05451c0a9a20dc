import Button from '@mui/material/Button';
import { useState } from 'react';
import type { HardwareType } from '../api/client';
import { Bring } from '../parts/Bring';
import { Lines, Press } from '../parts/controls';
import { Trouble } from '../parts/Trouble';
import { blankOf, keyOf, POWER, type Power } from './blank';
import { CartonPart } from './CartonPart';
import { ConsolePart } from './ConsolePart';
import styles from './hardware.module.css';
import { Check, Group, Pick, Words } from './inputs';
import { PairsPart, type Pair } from './PairsPart';
import { PortsPart } from './PortsPart';
import { useSaveType } from './queries';
import { SlotsPart } from './SlotsPart';

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
  const put = (values: Partial<HardwareType>) => setDraft({ ...draft, ...values });
  const written: HardwareType = {
    ...draft,
    key: version === 0 ? keyOf(draft.maker, draft.model) : draft.key,
    leftovers: draft.leftovers.filter((line) => line.trim()),
    lights: mapOf(lights),
    licences: mapOf(licences),
    slots: Object.fromEntries(slots.filter(([key]) => key.trim())),
  };
  return (
    <form
      className={styles.form}
      aria-label="Hardware type"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate({ type: written, version }, { onSuccess: (saved) => onDone(saved.type.key) });
      }}
    >
      <div className="in-sight">
        <header className="line">
          <h1>{version === 0 ? 'A new hardware type' : `${type.maker} ${type.model}`}</h1>
          <span style={{ marginLeft: 'auto' }} />
          <Press
            type="submit"
            variant="contained"
            loading={save.isPending}
            waits={!draft.maker || !draft.model ? 'write maker and model' : ''}
          >
            {version === 0 ? 'Save it' : `Save as version ${version + 1}`}
          </Press>
          <Button onClick={() => onDone(null)}>Leave it as it was</Button>
        </header>
        {save.error && <Trouble>{save.error.message}. What you wrote is still here.</Trouble>}
        {version > 0 && JSON.stringify(written) !== JSON.stringify(type) && (
          <div role="status" aria-label="What it would bring">
            <Bring document={written as unknown as Record<string, unknown>} type={type.key} />
          </div>
        )}
      </div>
      <Group title="What it is">
        <Words label="Maker" value={draft.maker} onChange={(maker) => put({ maker: maker ?? '' })} />
        <Words label="Model" value={draft.model} onChange={(model) => put({ model: model ?? '' })} />
        <Pick
          label="Kind"
          value={draft.kind}
          choices={['router', 'firewall', 'switch', 'access point', 'modem']}
          onChange={(kind) => put(version === 0 ? begunAs(draft, kind) : { kind })}
        />
        <PoweredBy value={draft.powered_by} onChange={(powered_by) => put({ powered_by })} />
        <Check label="It has Wi-Fi of its own" value={draft.radio} onChange={(radio) => put({ radio })} />
      </Group>
      <PortsPart panel={draft.panel} onChange={(panel) => put({ panel })} />
      <CartonPart type={draft} onChange={put} />
      <ConsolePart console={draft.console} onChange={(console) => put({ console })} />
      <SlotsPart slots={slots} onChange={setSlots} />
      <Group title="Firmware">
        <Words
          label="Wanted level"
          value={draft.firmware.wanted}
          onChange={(wanted) => put({ firmware: { ...draft.firmware, wanted } })}
        />
        <Pick
          label="It comes from"
          value={draft.firmware.source}
          choices={['laptop', 'internet', 'stick']}
          words={{ laptop: 'a file on the laptop', internet: 'the internet', stick: 'a memory stick' }}
          onChange={(source) => put({ firmware: { ...draft.firmware, source } })}
        />
        <Words
          label="How it is updated"
          value={draft.firmware.how}
          onChange={(how) => put({ firmware: { ...draft.firmware, how } })}
        />
      </Group>
      <PairsPart
        title="Licences"
        first="Licence"
        second="Needed for"
        pairs={licences}
        onChange={setLicences}
      />
      <PairsPart title="Lights" first="Light" second="When all is well" pairs={lights} onChange={setLights} />
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

/** A draft turned into another kind: what nobody has touched yet becomes what is usual of that kind. */
function begunAs(draft: HardwareType, kind: HardwareType['kind']): Partial<HardwareType> {
  const [was, will] = [blankOf(draft.kind), blankOf(kind)];
  const alike = (one: unknown, other: unknown) => JSON.stringify(one) === JSON.stringify(other);
  return {
    kind,
    ...(alike(draft.panel, was.panel) ? { panel: will.panel } : {}),
    ...(alike(draft.powered_by, was.powered_by) ? { powered_by: will.powered_by } : {}),
    ...(draft.radio === was.radio ? { radio: will.radio } : {}),
  };
}

/** Where the box can get its power from: one way at least. */
function PoweredBy(props: { value: Power[]; onChange: (value: Power[]) => void }) {
  const { value, onChange } = props;
  return (
    <fieldset className={`line ${styles.powered}`}>
      <legend className="quiet small">Powered by</legend>
      {(Object.keys(POWER) as Power[]).map((one) => (
        <Check
          key={one}
          label={POWER[one]}
          value={value.includes(one)}
          onChange={(on) => {
            const next = on ? [...value, one] : value.filter((other) => other !== one);
            if (next.length > 0) onChange(next);
          }}
        />
      ))}
    </fieldset>
  );
}

const pairsOf = (map: Record<string, string>): Pair[] => Object.entries(map);
const mapOf = (pairs: Pair[]) => Object.fromEntries(pairs.filter(([name]) => name.trim()));
