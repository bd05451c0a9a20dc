import Button from '@mui/material/Button';
import Popover from '@mui/material/Popover';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { Link } from 'react-router';
import type { HardwareType, TypeShown } from '../api/client';
import { useMay, usePersonHere } from '../frame/person';
import { Trouble } from '../parts/Trouble';
import { count, deskPath, localToday, moment } from '../parts/words';
import styles from './hardware.module.css';
import { POWER, TOPICS } from './blank';
import { Select } from '../parts/controls';
import { PortPanel } from './PortPanel';
import { useRemoveType, useSaveType, useVersions } from './queries';

type Topic = keyof typeof TOPICS;

const FIRST: Record<HardwareType['factory']['password'], string> = {
  blank: 'empty',
  known: '',
  label: 'on the label',
  chosen: 'you choose it',
};

/** One type as one would hold it: its ports, its factory facts to be read from a metre away, what was learned. */
export function TypeView(props: { shown: TypeShown; onEdit: () => void; onCopy: () => void }) {
  const { shown, onEdit, onCopy } = props;
  const { type, version, uses } = shown;
  const { factory } = type;
  const mayKeep = useMay('hardware');
  const warned = type.panel.filter((port) => !port.laptop && port.why_not);
  return (
    <article aria-label={`${type.maker} ${type.model}`}>
      <header className={`line below`}>
        <div>
          <h1>
            {type.maker} {type.model}
          </h1>
          <span className="quiet">
            {type.kind}, key <span className="mono">{type.key}</span>
          </span>
        </div>
        <span style={{ marginLeft: 'auto' }} />
        <Versions shown={shown} />
        <Link to={`/templates/${type.key}`}>{type.write_out ? 'Its write-out' : 'Write a write-out'}</Link>
        {mayKeep && (
          <>
            <Button onClick={onCopy}>Copy it</Button>
            <Button variant="outlined" onClick={onEdit}>
              Edit
            </Button>
            <Remove shown={shown} />
          </>
        )}
      </header>
      <div className={`below ${styles.box}`}>
        <PortPanel type={type} />
      </div>
      {warned.map((port) => (
        <div key={port.name} className="quiet">
          Not into {port.name}: {port.why_not}.
        </div>
      ))}
      <section className={`card ${styles.card}`} aria-label="Out of its carton">
        <h2 className="below">Out of its carton</h2>
        <dl>
          <Fact label="Address" value={addressOf(type)} big />
          <Fact label="Opens at" value={opensAt(type)} big />
          <Fact label="User" value={factory.user ?? 'none'} big />
          <Fact
            label="First password"
            value={factory.password === 'known' ? (factory.known_password ?? '') : FIRST[factory.password]}
            big={factory.password === 'known'}
          />
          <Fact label="Gives the laptop" value={factory.leases ?? 'no address: type one in'} />
          <Fact label="Browser says" value={factory.certificate_warning ?? 'nothing unusual'} />
          <Fact
            label="Answers"
            value={factory.services.join(', ').toUpperCase() || 'nothing on the network'}
          />
          <Fact label="Interfaces" value={factory.interfaces_disabled ? 'all switched off' : 'on'} />
          {type.ssh_needs_full_name && <Fact label="SSH" value="off until it has host name and domain" />}
          {type.restconf && <Fact label="Programs" value="RESTCONF, over its web port" />}
          <Fact label="Traffic" value={factory.blocked ? 'blocked until allowed' : 'let out'} />
          <Fact label="Powered by" value={type.powered_by.map((one) => POWER[one]).join(', or ')} />
          <Fact
            label="Changes take effect"
            value={`${type.takes}${type.confirms ? '; taken back unless confirmed, where that is asked for' : ''}`}
          />
          <Fact
            label="Kept over a power cut"
            value={`${type.kept}${type.restart_needed ? '; only a restart lets them take effect' : ''}`}
          />
          {type.console && (
            <Fact
              label="Console"
              value={`${type.console.connector}, ${type.console.speed} ${type.console.data_bits}${(type.console.parity[0] ?? '').toUpperCase()}${type.console.stop_bits}, flow control ${type.console.flow_control}`}
            />
          )}
        </dl>
      </section>
      <div className={styles.columns}>
        <Part title="Secrets it takes">
          {Object.entries(type.slots).map(([key, slot]) => (
            <li key={key}>
              <b>{slot.label ?? key}</b>{' '}
              <span className="quiet">
                {slot.shortest === slot.longest ? slot.longest : `${slot.shortest} to ${slot.longest}`}{' '}
                {slot.digits_only ? 'digits' : 'characters'}
                {slot.forbidden && (
                  <>
                    , without <span className="mono">{slot.forbidden}</span>
                  </>
                )}
                {slot.distinct_from.length > 0 && `, not the ${slot.distinct_from.join(', ')}`}
              </span>
            </li>
          ))}
        </Part>
        <Part title="Firmware and licences">
          {type.firmware.wanted && (
            <li>
              <b className="mono">{type.firmware.wanted}</b> is wanted.{' '}
              <span className="quiet">{type.firmware.how}</span>
            </li>
          )}
          {Object.entries(type.licences).map(([licence, purpose]) => (
            <li key={licence}>
              <b>{licence}</b> <span className="quiet">for {purpose}</span>
            </li>
          ))}
        </Part>
        <Part title="Lights when all is well">
          {Object.entries(type.lights).map(([light, expect]) => (
            <li key={light}>
              <b>{light}</b> <span className="quiet">{expect}</span>
            </li>
          ))}
        </Part>
        <Part title="To be removed">
          {type.leftovers.map((leftover) => (
            <li key={leftover}>{leftover}</li>
          ))}
        </Part>
        <Notes shown={shown} />
        <Part title={uses.length === 0 ? 'Not used yet' : `Used ${count(uses.length, 'time')}`}>
          {uses.slice(0, 20).map((use) => (
            <li key={use.customer + use.site + use.device}>
              <Link to={deskPath(use, 'devices')}>{use.name}</Link>{' '}
              <span className="quiet">{use.device}</span>
            </li>
          ))}
          {uses.length > 20 && <li className="quiet">and {uses.length - 20} more</li>}
        </Part>
      </div>
      <p className="quiet">
        Version {version}, {shown.by}, {moment(shown.at, true)}
      </p>
    </article>
  );
}

function addressOf({ factory }: HardwareType): string {
  if (factory.addressing === 'dhcp') return 'asks for one';
  if (factory.addressing === 'none') return 'none';
  return `${factory.address}/${factory.prefix}`;
}

function opensAt({ factory, console }: HardwareType): string {
  if (factory.web) {
    const host = factory.address?.includes(':') ? `[${factory.address}]` : (factory.address ?? 'its address');
    return `${factory.web}://${host}${factory.web_port ? `:${factory.web_port}` : ''}`;
  }
  return console ? 'console only' : 'nothing';
}

function Fact({ label, value, big = false }: { label: string; value: string; big?: boolean }) {
  return (
    <div data-big={big}>
      <dt className="quiet small">{label}</dt>
      <dd>{value}</dd>
    </div>
  );
}

function Part({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section aria-label={title}>
      <h3>{title}</h3>
      <ul>{children}</ul>
    </section>
  );
}

/** What was learned the hard way, with who found it and when; anybody who may adds to it. */
function Notes({ shown: { type, version } }: { shown: TypeShown }) {
  const person = usePersonHere();
  const save = useSaveType();
  const mayKeep = useMay('hardware');
  const [text, setText] = useState('');
  const [about, setAbout] = useState<Topic | ''>('');
  return (
    <section aria-label="Learned the hard way">
      <h3>Learned the hard way</h3>
      <ul>
        {type.notes.map((note, index) => (
          <li key={index}>
            {note.text}{' '}
            <span className="quiet">
              {note.about && `${TOPICS[note.about]}; `}
              {note.by}, {note.on}
            </span>
          </li>
        ))}
      </ul>
      {mayKeep && (
        <form
          className="line stretch above"
          onSubmit={(event) => {
            event.preventDefault();
            const note = { text, by: person.full_name, on: localToday(), about: about || null };
            save.mutate(
              { type: { ...type, notes: [...type.notes, note] }, version },
              { onSuccess: () => setText('') },
            );
          }}
        >
          <TextField
            fullWidth
            label="Something you found out"
            value={text}
            onChange={(event) => setText(event.target.value)}
            slotProps={{ htmlInput: { maxLength: 1000 } }}
          />
          <Select
            aria-label="The step that it is about"
            value={about}
            onChange={(event) => setAbout(event.target.value as Topic | '')}
          >
            <option value="">before anything</option>
            {Object.entries(TOPICS).map(([topic, words]) => (
              <option key={topic} value={topic}>
                {words}
              </option>
            ))}
          </Select>
          <Button type="submit" disabled={!text.trim()} loading={save.isPending}>
            Note it
          </Button>
        </form>
      )}
      {save.error && <Trouble>{save.error.message}.</Trouble>}
    </section>
  );
}

function Versions({ shown }: { shown: TypeShown }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const versions = useVersions(shown.type.key, anchor !== null);
  return (
    <>
      <Button onClick={(event) => setAnchor(event.currentTarget)}>{count(shown.version, 'version')}</Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }}
        transformOrigin={{ vertical: 'top', horizontal: 'right' }}
      >
        <ol className={styles.versions}>
          {versions.data?.map((one) => (
            <li key={one.number}>
              <b>{one.number}</b> {one.by}, {moment(one.at, true)}
            </li>
          ))}
        </ol>
      </Popover>
    </>
  );
}

function Remove({ shown }: { shown: TypeShown }) {
  const remove = useRemoveType();
  const [asking, setAsking] = useState(false);
  if (!asking) {
    return (
      <Button color="error" onClick={() => setAsking(true)}>
        Remove…
      </Button>
    );
  }
  return (
    <span role="group" aria-label="Remove this type">
      {shown.uses.length > 0 && `${count(shown.uses.length, 'box', 'boxes')} of it will show a stop. `}
      <Button
        color="error"
        variant="outlined"
        loading={remove.isPending}
        onClick={() => remove.mutate({ key: shown.type.key, version: shown.version })}
      >
        Remove it
      </Button>
      <Button onClick={() => setAsking(false)}>Keep it</Button>
      {remove.error && <span role="alert">{remove.error.message}</span>}
    </span>
  );
}
