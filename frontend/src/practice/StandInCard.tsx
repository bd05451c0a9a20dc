import Button from '@mui/material/Button';
import { useState } from 'react';
import { Link } from 'react-router';
import { Line, LinkButton } from '../parts/controls';
import { Trouble } from '../parts/Trouble';
import styles from './practice.module.css';
import { useDo, useQuestion, useTake, type Doing, type StandIn } from './queries';

/** One box with the laptop at it: its front with sockets and lights, and what one does to either. */
export function StandInCard({ box, may }: { box: StandIn; may: boolean }) {
  const doing = useDo(box.key);
  const take = useTake();
  const act = (what: Doing['what'], more: Partial<Doing> = {}) =>
    doing.mutate({ what, port: '', address: '', ...more });
  const on = box.phase !== 'off';
  const free = may && !box.hands?.working;
  return (
    <section className="card part pile" aria-label={box.name || box.title}>
      <header className="line wrap">
        <h2>{box.name || box.title}</h2>
        <span className="quiet small fill">
          {box.name && `${box.title}, `}
          {box.site && (
            <Link to={`/sites/${box.site.toUpperCase()}/bench/${box.device}`}>{box.site.toUpperCase()}</Link>
          )}
        </span>
        {free && (
          <LinkButton className="small" onClick={() => take.mutate(box.key)}>
            take away
          </LinkButton>
        )}
      </header>
      <Front box={box} disabled={!free} onPlug={(port) => act('plug', { port })} />
      <div className="line wrap small">
        <b>{on ? box.phase : 'switched off'}</b>
        <span className="quiet">firmware {box.firmware}</span>
        {free && (
          <span className="line end">
            <LinkButton onClick={() => act(on ? 'off' : 'on')}>
              {on ? 'pull the plug' : 'plug it in'}
            </LinkButton>
            <LinkButton onClick={() => act('reset')}>reset button</LinkButton>
            <LinkButton onClick={() => act(box.line ? 'no line' : 'line')}>
              {box.line ? 'take the line out' : 'plug the line in'}
            </LinkButton>
          </span>
        )}
      </div>
      <Laptop box={box} disabled={!free} onDo={act} />
      {box.faults.length > 0 && <p className="small quiet">For practice: {box.faults.join(', ')}.</p>}
      {box.hands && <HandsLine hands={box.hands} />}
      {(doing.error ?? take.error) && <Trouble>{(doing.error ?? take.error)?.message}</Trouble>}
    </section>
  );
}

/** The front of the box: its sockets, the laptop's cable in one of them, its lights, and the label. */
function Front({
  box,
  disabled,
  onPlug,
}: {
  box: StandIn;
  disabled: boolean;
  onPlug: (port: string) => void;
}) {
  return (
    <div className={styles.front} data-on={box.phase !== 'off' || undefined}>
      <div className={styles.sockets} role="group" aria-label="Ports: where the laptop is plugged in">
        {box.ports.map((port) => {
          const here = port === box.laptop_port;
          return (
            <button
              key={port}
              type="button"
              className={styles.socket}
              aria-pressed={here}
              disabled={disabled}
              title={here ? 'the laptop is in it: take it out' : `plug the laptop into ${port}`}
              onClick={() => onPlug(here ? '' : port)}
            >
              {port}
            </button>
          );
        })}
      </div>
      <ul className={styles.lights} aria-label="Lights">
        {Object.entries(box.lights).map(([name, shown]) => (
          <li key={name} data-shines={shown !== 'dark' || undefined} title={shown}>
            <i aria-hidden />
            {name} <span className="quiet">{shown.length > 24 ? 'as it should be' : shown}</span>
          </li>
        ))}
      </ul>
      <div className={`mono small ${styles.label}`}>
        {box.serial}
        <br />
        {box.mac}
        {box.password && (
          <>
            <br />
            password {box.password}
          </>
        )}
      </div>
    </div>
  );
}

/** The laptop: its address, what answers it, and what one sees from there. */
function Laptop({
  box,
  disabled,
  onDo,
}: {
  box: StandIn;
  disabled: boolean;
  onDo: (what: Doing['what'], more?: Partial<Doing>) => void;
}) {
  const [address, setAddress] = useState('');
  const [target, setTarget] = useState('');
  const ask = useQuestion(box.key);
  const plugged = box.laptop_port !== '';
  const how =
    { lease: 'leased', serving: 'and it leases to the box', fixed: 'set by hand' }[box.laptop_how] ?? '';
  return (
    <div className={`pile small ${styles.laptop}`}>
      <p>
        Laptop:{' '}
        {plugged
          ? box.laptop_address
            ? `${box.laptop_address}, ${how}`
            : `in ${box.laptop_port}, without an address`
          : 'plugged in nowhere'}
        {box.box_address && (
          <>
            ; the box is at <span className="mono">{box.box_address}</span> there
          </>
        )}
      </p>
      {plugged && box.laptop_port !== 'console' && !disabled && (
        <form
          className="line wrap"
          aria-label="The laptop's address"
          onSubmit={(event) => {
            event.preventDefault();
            onDo('fixed', { address });
          }}
        >
          <LinkButton type="button" onClick={() => onDo('lease')}>
            ask for an address
          </LinkButton>
          <LinkButton type="button" onClick={() => onDo('serve')}>
            serve addresses
          </LinkButton>
          <Line
            aria-label="Laptop's own address"
            className="mono"
            placeholder="192.168.77.10"
            size={16}
            value={address}
            onChange={(event) => setAddress(event.target.value)}
          />
          <Button type="submit" size="small" disabled={!address}>
            set
          </Button>
          <span className="line">
            <Line
              aria-label="Address to ping"
              placeholder="10.61.0.1"
              className="mono"
              size={16}
              value={target}
              onChange={(event) => setTarget(event.target.value)}
            />
            <Button size="small" disabled={!target} onClick={() => ask.mutate({ ping: target })}>
              ping
            </Button>
          </span>
        </form>
      )}
      {box.line && box.site && !disabled && (
        <p className="line wrap">
          <LinkButton onClick={() => ask.mutate('name')}>look up a name</LinkButton>
          <LinkButton disabled={ask.isPending} onClick={() => ask.mutate('passes')}>
            try what passes
          </LinkButton>
        </p>
      )}
      {ask.data && (
        <p role="status" className={`mono ${styles.seen}`}>
          {ask.data.join('\n')}
        </p>
      )}
      {ask.error && <Trouble>{ask.error.message}</Trouble>}
      {box.ways.length > 0 && (
        <ul className={styles.ways} aria-label="Ways in">
          {box.ways.map((way) => (
            <li key={way.name}>
              {way.name}:{' '}
              {way.link ? (
                <a href={way.where} target="_blank" rel="noreferrer">
                  {way.where.split('?')[0]}
                </a>
              ) : (
                <span className="mono">{way.where}</span>
              )}
            </li>
          ))}
        </ul>
      )}
    </div>
  );
}

function HandsLine({ hands }: { hands: NonNullable<StandIn['hands']> }) {
  return (
    <div className="small">
      <progress
        className={styles.bar}
        max={Math.max(1, hands.total)}
        value={hands.done}
        aria-label="Steps done"
      />
      {hands.working
        ? `${hands.step}: Octaplan is at it for ${hands.by}`
        : hands.note
          ? `Stopped at ${hands.step}: ${hands.note}`
          : `${hands.done} steps done in ${hands.seconds} s`}
    </div>
  );
}
