import Button from '@mui/material/Button';
import { useState } from 'react';
import type { Schemas } from '../api/client';
import { type Choices, Line, Options, Press, Select } from '../parts/controls';
import { ROLES } from '../parts/Marks';

type Departure = Schemas['MeantAtCustomer'];

const INSIDE: Choices = Object.entries(ROLES)
  .filter(([role]) => role !== 'transit')
  .map(([role, { word }]) => [role, word] as const);
const ASKING: Choices = [...INSIDE, ['internet', 'the internet'], ['other-sites', 'other sites']];
const ASKED: Choices = [...ASKING, ['boxes', 'the boxes']];

/** Pairs of roles for which something else is meant at all sites of a customer, each with the reason. */
export function MeantOtherwise(props: {
  departures: Departure[];
  may: boolean;
  onChange: (departures: Departure[]) => void;
}) {
  const { departures, may, onChange } = props;
  const [adding, setAdding] = useState(false);
  const word = (place: string) => ASKED.find(([key]) => key === place)?.[1] ?? place;
  return (
    <section aria-label="Meant otherwise here">
      <h3>Who reaches whom, otherwise than by Settings</h3>
      <ul>
        {departures.map((one) => (
          <li key={`${one.source} ${one.target}`}>
            {word(one.source)} to {word(one.target)}: {called(one.services)}, {one.reason}
            {may && (
              <button
                type="button"
                className="quiet"
                aria-label={`Remove ${word(one.source)} to ${word(one.target)}`}
                onClick={() => onChange(departures.filter((other) => other !== one))}
              >
                ×
              </button>
            )}
          </li>
        ))}
        {departures.length === 0 && <li className="quiet">as everywhere</li>}
      </ul>
      {may && !adding && <Button onClick={() => setAdding(true)}>Mean something otherwise</Button>}
      {adding && (
        <Adding
          onAdd={(one) => {
            const others = departures.filter(
              (other) => other.source !== one.source || other.target !== one.target,
            );
            onChange([...others, one]);
            setAdding(false);
          }}
        />
      )}
    </section>
  );
}

function called(services: string): string {
  return { any: 'open', none: 'closed' }[services] ?? services;
}

function Adding({ onAdd }: { onAdd: (one: Departure) => void }) {
  const [one, setOne] = useState({ source: 'voice', target: 'servers', services: 'any', reason: '' });
  const set = (part: Partial<Departure>) => setOne({ ...one, ...part });
  const waits =
    one.reason.trim().length < 3 ? 'write the reason' : !one.services.trim() ? 'write the services' : '';
  return (
    <div className="line near wrap">
      <Select
        aria-label="From role"
        value={one.source}
        onChange={(event) => set({ source: event.target.value })}
      >
        <Options of={ASKING} />
      </Select>
      to
      <Select
        aria-label="To role"
        value={one.target}
        onChange={(event) => set({ target: event.target.value })}
      >
        <Options of={ASKED} />
      </Select>
      <Line
        aria-label="Services of the role"
        className="mono"
        value={one.services}
        placeholder="any, none, https"
        onChange={(event) => set({ services: event.target.value })}
      />
      <Line
        aria-label="Reason of the customer"
        placeholder="why it is otherwise here"
        maxLength={400}
        value={one.reason}
        onChange={(event) => set({ reason: event.target.value })}
      />
      <Press waits={waits} onClick={() => onAdd({ ...one, reason: one.reason.trim() })}>
        Take it in
      </Press>
    </div>
  );
}
