import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import Popover from '@mui/material/Popover';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Slot } from '../../api/client';
import { useRevise } from '../../api/queries';
import { useMay } from '../../frame/person';
import { Line, LinkButton, Press } from '../../parts/controls';
import { SeverityMark } from '../../parts/Marks';
import { Sure } from '../../parts/Sure';
import { ReadButton, SecretDialog } from '../../parts/ReadSecret';
import { Trouble } from '../../parts/Trouble';
import { TypedField } from '../../parts/TypedField';
import { count, deskPath, moment } from '../../parts/words';
import { freshId, remove } from '../addresses/edits';
import { useDeskState, useLight } from '../context';
import styles from './credentials.module.css';
import { useMakeMissing, useBringBack, useMakeSecret, useSecretHistory, useSlots } from './queries';
import { TypeSecret } from './TypeSecret';

/** Every secret that the site needs: whether it is there, how good it is, and what can be done about it. */
export function CredentialsPage() {
  const { name, desk: state, mayPlan } = useDeskState();
  const slots = useSlots(name, state.revision.number);
  const missing = useMakeMissing(name);
  const revise = useRevise(name);
  const mayFill = useMay('fill');
  if (slots.error) return <Trouble>{slots.error.message}</Trouble>;
  if (!slots.data) return null;
  const owners = new Map<string, Slot[]>();
  for (const slot of slots.data.slots) owners.set(slot.member, [...(owners.get(slot.member) ?? []), slot]);
  const empty = slots.data.slots.filter((slot) => !slot.kept && !slot.given).length;
  const waiting = slots.data.slots.filter((slot) => !slot.kept && slot.given && slot.needed).length;
  const wanted = slots.data.slots.filter((slot) => slot.kept || slot.needed).length;
  return (
    <div className={`pile ${styles.page}`}>
      <div className="line baseline far heading">
        <h2>Secrets of this site</h2>
        <span className="quiet" role="status">
          {slots.data.slots.length === 0
            ? ''
            : `${count(wanted, 'slot')}, ${empty + waiting === 0 ? 'all filled' : `${count(empty, 'secret')} to make${waiting ? `, ${waiting} to be given` : ''}`}`}
        </span>
        <span style={{ marginLeft: 'auto' }} />
        {mayPlan && (
          <AddSecret
            onAdd={(called) =>
              revise.mutate({
                operations: [
                  {
                    op: 'add',
                    path: `/slots/${freshId(state.plan.slots)}`,
                    value: { name: called, about: null },
                  },
                ],
                revision: state.revision.number,
              })
            }
          />
        )}
        {mayFill && empty > 0 && (
          <Press
            variant="contained"
            loading={missing.isPending}
            waits={slots.data.locked}
            onClick={() => missing.mutate(undefined)}
          >
            {empty === 1 ? 'Make the missing one' : `Make the ${empty} that are missing`}
          </Press>
        )}
      </div>
      {slots.data.locked && (
        <p role="alert" className="note">
          <b>The safe is closed.</b> {slots.data.locked}.
        </p>
      )}
      {(missing.error ?? revise.error) && <Trouble>{(missing.error ?? revise.error)?.message}</Trouble>}
      {slots.data.slots.length === 0 && (
        <p className="quiet">
          No secret is needed yet: they come with the site's boxes, its Wi-Fi and its PPPoE circuits.{' '}
          <Link to={deskPath(name, 'devices')}>Add a box on Devices</Link>, or add a named secret here.
        </p>
      )}
      {[...owners].map(([member, group]) => (
        <section key={member} className="card part" aria-label={group[0]?.owner ?? ''}>
          <h3>{group[0]?.owner}</h3>
          {group.map((slot) => (
            <SlotRow key={slot.path} slot={slot} closed={slots.data.locked !== ''} />
          ))}
          {member.startsWith('/slots/') && <NamedSlot member={member} />}
        </section>
      ))}
    </div>
  );
}

/** The name of a secret that belongs to no device, typed in place. */
function NamedSlot({ member }: { member: string }) {
  const { name, desk: state, mayPlan } = useDeskState();
  const revise = useRevise(name);
  const named = state.plan.slots[member.split('/')[2] ?? ''];
  if (!named || !mayPlan) return null;
  return (
    <div className={styles.named}>
      <TypedField path={`${member}/name`} label="What it is" value={named.name} />
      <TypedField path={`${member}/about`} label="What it is for" value={named.about ?? ''} />
      <Button
        color="error"
        onClick={() => revise.mutate({ operations: [remove(member)], revision: state.revision.number })}
      >
        Remove
      </Button>
    </div>
  );
}

function SlotRow({ slot, closed }: { slot: Slot; closed: boolean }) {
  const { name } = useDeskState();
  const { lit } = useLight();
  const make = useMakeSecret(name);
  const mayFill = useMay('fill');
  const [typing, setTyping] = useState(false);
  const [asked, setAsked] = useState(false);
  const label = `${slot.label} of ${slot.owner}`;
  return (
    <div
      className={styles.slot}
      data-path={`/safe/${slot.path}`}
      data-lit={lit === `/safe/${slot.path}`}
      role="group"
      aria-label={label}
    >
      <div>
        <b>{slot.label}</b>
        <div className={`quiet small ${styles.rules}`}>{slot.rules}</div>
      </div>
      <State slot={slot} />
      <div className={styles.actions} data-field={`/safe/${slot.path}/secret`} tabIndex={-1}>
        {slot.kept && <ReadButton site={name} path={slot.path} label={label} />}
        {mayFill && !slot.given && (
          <Button
            variant={slot.kept ? 'text' : 'outlined'}
            disabled={closed}
            loading={make.isPending}
            aria-label={`${slot.kept ? 'Make new' : 'Make'} ${label}`}
            onClick={() => (slot.kept ? setAsked(true) : make.mutate(slot.path))}
          >
            {slot.kept ? 'Make new' : 'Make'}
          </Button>
        )}
        {mayFill && (
          <Button disabled={closed} aria-label={`Type ${label}`} onClick={() => setTyping(true)}>
            Type
          </Button>
        )}
        {slot.kept && <History slot={slot} label={label} />}
      </div>
      {make.error && <Trouble>{make.error.message}</Trouble>}
      {asked && slot.kept && (
        <Sure
          title={`A new ${label}?`}
          yes="Make a new one"
          no="Keep the one there is"
          pending={make.isPending}
          error={make.error}
          onNo={() => setAsked(false)}
          onYes={() => make.mutate(slot.path, { onSuccess: () => setAsked(false) })}
        >
          The one made by {slot.kept.by}, {moment(slot.kept.at)}, counts no longer: a box that is staged has
          to be given the new one, and its step is open again. The old one stays in the history, can be read
          there, and can be brought back from there.
        </Sure>
      )}
      <Dialog
        open={typing}
        onClose={() => setTyping(false)}
        slotProps={{ paper: { 'aria-label': `Type ${label}` } }}
      >
        {typing && <TypeSecret slot={slot} onClose={() => setTyping(false)} />}
      </Dialog>
    </div>
  );
}

const STRENGTH = ['guessed at once', 'guessed at once', 'weak', 'strong', 'very strong'];

function State({ slot: { kept, given, needed } }: { slot: Slot }) {
  if (!kept && !needed) return <div className="quiet">nothing kept: it may have none</div>;
  if (!kept) {
    return (
      <div>
        <SeverityMark of="stop" /> {given ? 'not given yet: ask the provider' : 'not made yet'}
      </div>
    );
  }
  const trouble = kept.factory
    ? "the maker's own"
    : kept.shared > 0
      ? `also used in ${count(kept.shared, 'other slot')}`
      : kept.score < 3 && !given
        ? (STRENGTH[kept.score] ?? '')
        : '';
  return (
    <div>
      <SeverityMark of={trouble ? 'stop' : 'clear'} /> {trouble || (given ? 'given' : STRENGTH[kept.score])}
      <div className={`quiet small ${styles.rules}`}>
        {kept.typed ? 'typed' : 'made'} by {kept.by}, {moment(kept.at)}
        {kept.number > 1 && `, number ${kept.number}`}
      </div>
    </div>
  );
}

function History({ slot, label }: { slot: Slot; label: string }) {
  const { name } = useDeskState();
  const mayRead = useMay('read');
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [reading, setReading] = useState<number | null>(null);
  const mayFill = useMay('fill');
  const back = useBringBack(name);
  const history = useSecretHistory(name, slot.path, anchor !== null);
  return (
    <>
      <Button aria-label={`History of ${label}`} onClick={(event) => setAnchor(event.currentTarget)}>
        History
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }}
        transformOrigin={{ vertical: 'top', horizontal: 'right' }}
      >
        <ol className={styles.history} aria-label="Secrets of this slot, newest first">
          {history.data?.map((entry, index) => (
            <li key={entry.number}>
              <b>{entry.number}</b> {entry.typed ? 'typed' : 'made'} by {entry.by}, {moment(entry.at)}{' '}
              {index === 0 ? (
                <span className="quiet">counts now</span>
              ) : (
                <>
                  {mayRead && <LinkButton onClick={() => setReading(entry.number)}>Read</LinkButton>}{' '}
                  {mayFill && (
                    <LinkButton
                      aria-label={`Bring number ${entry.number} back`}
                      onClick={() => back.mutate({ path: slot.path, number: entry.number })}
                    >
                      Bring it back
                    </LinkButton>
                  )}
                </>
              )}
            </li>
          ))}
          {back.error && <Trouble>{back.error.message}</Trouble>}
        </ol>
      </Popover>
      {reading !== null && (
        <SecretDialog
          site={name}
          path={slot.path}
          label={`${label}, number ${reading}`}
          number={reading}
          onClose={() => setReading(null)}
        />
      )}
    </>
  );
}

/** A secret with a name of its own; nothing is made before the name is there. */
function AddSecret({ onAdd }: { onAdd: (called: string) => void }) {
  const [called, setCalled] = useState<string | null>(null);
  if (called === null) return <Button onClick={() => setCalled('')}>Add a named secret</Button>;
  const name = called.trim();
  return (
    <form
      className="line near"
      aria-label="A named secret"
      onKeyDown={(event) => event.key === 'Escape' && setCalled(null)}
      onSubmit={(event) => {
        event.preventDefault();
        if (!name) return;
        onAdd(name);
        setCalled(null);
      }}
    >
      <Line
        autoFocus
        aria-label="What the secret is called"
        placeholder="alarm code, rack key"
        maxLength={80}
        value={called}
        onChange={(event) => setCalled(event.target.value)}
      />
      <Press type="submit" waits={name ? '' : 'write its name'}>
        Add it
      </Press>
    </form>
  );
}
