import Button from '@mui/material/Button';
import Popover from '@mui/material/Popover';
import TextField from '@mui/material/TextField';
import { useState, type ReactNode } from 'react';
import type { Operation, Segment } from '../../api/client';
import { Line, Press } from '../../parts/controls';
import { TypedField } from '../../parts/TypedField';
import { format, parse, subnet, usable } from '../../ruler/addresses';
import { sixOperations, sixPath, sixSide } from '../../ruler/six';
import { runText, scopeOf, taken, type Mark } from '../../ruler/marks';
import { useDeskState, useDrafting } from '../context';
import { freshId } from './edits';

export interface Asked {
  segment: string;
  /** Whether it is about the IPv6 side of a segment that has an IPv4 side too. */
  second?: boolean;
  at: { x: number; y: number };
  value?: bigint;
  mark?: Mark;
}

/** What was asked for on a ruler: what goes to a free address, or an exact value for a mark. */
export function PlacePopover({ asked, onClose }: { asked: Asked | null; onClose: () => void }) {
  const { plan } = useDrafting();
  const drawn = asked && plan.segments[asked.segment];
  const segment = drawn && asked.second ? sixSide(drawn, [])?.segment : drawn;
  return (
    <Popover
      open={Boolean(segment)}
      onClose={onClose}
      anchorReference="anchorPosition"
      anchorPosition={{ top: (asked?.at.y ?? 0) + 8, left: asked?.at.x ?? 0 }}
      slotProps={{ paper: { role: 'dialog', 'aria-label': 'At this address' } }}
    >
      {asked && segment && (
        <div style={{ padding: 16, width: 320 }}>
          {asked.mark ? (
            <ExactValue {...asked} segment={segment} id={asked.segment} mark={asked.mark} onClose={onClose} />
          ) : (
            <WhatGoesHere
              {...asked}
              segment={segment}
              id={asked.segment}
              value={asked.value ?? 0n}
              onClose={onClose}
            />
          )}
        </div>
      )}
    </Popover>
  );
}

interface About {
  id: string;
  segment: Segment;
  second?: boolean;
  onClose: () => void;
}

function ExactValue(props: About & { mark: Mark }) {
  const { id, segment, second = false, mark, onClose } = props;
  const { keep } = useDrafting();
  const { desk } = useDeskState();
  const { scope, kept } = segment;
  const host = desk.plan.hosts[mark.path.split('/')[2] ?? ''];
  const values: Record<Mark['kind'], [label: string, value: string]> = {
    gateway: ['Gateway', segment.gateway ?? ''],
    host: [`Address of ${mark.name}`, (second ? host?.address6 : host?.address) ?? ''],
    range: ['DHCP range', scope.first && scope.last ? `${scope.first} - ${scope.last}` : ''],
    excluded: ['Excluded from the range', scope.excluded.join('; ')],
    kept: ['Addresses kept for a kind of host', kept.map(({ kind, run }) => `${kind} ${run}`).join('; ')],
  };
  const [label, value] = values[mark.kind];
  return (
    <>
      <TypedField
        autoFocus
        path={second ? sixPath(mark.field) : mark.field}
        label={label}
        value={value}
        onSaved={onClose}
      />
      <Button
        color="error"
        sx={{ mt: 1 }}
        onClick={() => {
          const operations = taken(id, segment, mark);
          keep(second ? sixOperations(operations) : operations);
          onClose();
        }}
      >
        Take {mark.end ? mark.name : mark.kind === 'host' ? `${mark.name} away` : `the ${mark.name} away`}
        {mark.end && ' away'}
      </Button>
    </>
  );
}

function WhatGoesHere(props: About & { value: bigint }) {
  const { id, segment, second = false, value, onClose } = props;
  const { keep } = useDrafting();
  const { desk } = useDeskState();
  const [name, setName] = useState('');
  const [kind, setKind] = useState('');
  const [length, setLength] = useState('10');
  const net = subnet(segment.subnet);
  if (!net) return null;
  const address = format({ family: net.family, value });
  const room = usable(net);
  const end = value > room.last ? 'broadcast' : net.family === 6 ? 'all routers’' : 'network';
  const able = value >= room.first && value <= room.last;
  const scope = scopeOf(segment);
  const inside = scope !== undefined && value >= scope.first && value <= scope.last;
  const apply = (operations: Operation[]) => {
    keep(second ? sixOperations(operations) : operations);
    onClose();
  };
  const base = `/segments/${id}`;
  const set = (path: string, to: unknown): Operation => ({ op: 'add', path: `${base}/${path}`, value: to });
  const host = () => {
    const key = freshId(desk.plan.hosts);
    const fresh = { segment: id, name: name.trim(), address, kind: kind.trim() || null };
    apply([{ op: 'add', path: `/hosts/${key}`, value: fresh }]);
  };
  const run = () => {
    const size = BigInt(Math.max(1, Number.parseInt(length, 10) || 1));
    const last = value + size - 1n > room.last ? room.last : value + size - 1n;
    const kept = { kind: kind.trim(), run: runText({ family: net.family, first: value, last }) };
    apply([set('kept', [...segment.kept, kept])]);
  };
  const ways: [words: string, operations: Operation[]][] = [];
  if (able && parse(segment.gateway)?.value !== value)
    ways.push(['Make it the gateway', [set('gateway', address)]]);
  if (inside) {
    ways.push(['Exclude it from the range', [set('scope/excluded', [...segment.scope.excluded, address])]]);
  } else if (able && scope) {
    ways.push(
      value < scope.first
        ? ['Let the range begin here', [set('scope/first', address)]]
        : ['Let the range end here', [set('scope/last', address)]],
    );
  } else if (able && !second) {
    const last = format({ family: net.family, value: room.last });
    ways.push([
      `Hand out ${address} to the end`,
      [
        set('scope/first', address),
        set('scope/last', last),
        ...(segment.scope.server === 'none' ? [set('scope/server', 'edge')] : []),
      ],
    ]);
  }
  return (
    <div style={{ display: 'grid', gap: 12 }}>
      <div>
        <b className="mono">{address}</b> <span className="quiet">in {segment.label}</span>
      </div>
      {able ? (
        <form
          style={{ display: 'grid', gap: 12 }}
          onSubmit={(event) => {
            event.preventDefault();
            if (name.trim()) host();
          }}
        >
          <Row>
            <Word label="Host" value={name} onChange={setName} focus />
            <Word label="Kind" value={kind} onChange={setKind} />
          </Row>
          <Row>
            <Press
              type="submit"
              variant="contained"
              waits={!name.trim() ? 'write what the host is called' : ''}
            >
              Place host
            </Press>
            {!second && (
              <>
                <Press
                  variant="outlined"
                  waits={!kind.trim() ? 'write for which kind of host' : ''}
                  onClick={run}
                >
                  Keep a run of
                </Press>
                <Line
                  aria-label="Length of the run"
                  className="mono"
                  style={{ width: 52 }}
                  value={length}
                  inputMode="numeric"
                  maxLength={6}
                  onChange={(event) => setLength(event.target.value)}
                />
              </>
            )}
          </Row>
        </form>
      ) : (
        <span>No host can have it: it is the {end} address.</span>
      )}
      <div>
        {ways.map(([words, operations]) => (
          <Button key={words} sx={{ display: 'block' }} onClick={() => apply(operations)}>
            {words}
          </Button>
        ))}
      </div>
    </div>
  );
}

function Row({ children }: { children: ReactNode }) {
  return <div style={{ display: 'flex', gap: 8, alignItems: 'center' }}>{children}</div>;
}

function Word(props: { label: string; value: string; focus?: boolean; onChange: (value: string) => void }) {
  return (
    <TextField
      label={props.label}
      value={props.value}
      autoFocus={props.focus ?? false}
      size="small"
      onChange={(event) => props.onChange(event.target.value)}
      slotProps={{ htmlInput: { maxLength: 80 }, inputLabel: { shrink: true } }}
    />
  );
}
