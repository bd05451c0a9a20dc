import Button from '@mui/material/Button';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import type { Host, Operation, Segment } from '../api/client';
import { format, short, usable } from './addresses';
import {
  density,
  describe,
  neighbours,
  panned,
  scaleOf,
  stagger,
  ticks,
  valueAt,
  x,
  zoomed,
  type Run,
  type Scale,
  type SegmentPicture,
  type Window,
} from './geometry';
import { Magnifier } from './Magnifier';
import { closedUp, said, spaced, type Mark } from './marks';
import styles from './ruler.module.css';
import { spoken, UsedOnly } from './UsedOnly';
import { useHandling, type Handling } from './useHandling';
import { useWidth } from './useWidth';

const TOP = 50;
const HEIGHT = 20;
const BOTTOM = TOP + HEIGHT;
const MANY = 40;
const SMALL_STEP = 5;

interface Props {
  id: string;
  segment: Segment;
  hosts: [string, Host][];
  picture: SegmentPicture;
  hue: string;
  lit: string | null;
  onLight: (path: string | null) => void;
  /** What becomes of changes; nothing for somebody who may only look. */
  handling: Handling | null;
  /** Marks that are told apart, since they differ from something beside this ruler. */
  changed?: ReadonlySet<string>;
}

/** One subnet to scale: gateway, hosts, range, runs, blocked ends, a notch where something collides; all movable. */
export function Ruler(props: Props) {
  if (props.picture.net.family === 6) return <UsedOnly picture={props.picture} label={props.segment.label} />;
  return <Scaled {...props} />;
}

function Scaled({ id, segment, hosts, picture, hue, lit, onLight, handling, changed }: Props) {
  const [box, width] = useWidth();
  const svg = useRef<SVGSVGElement>(null);
  const [under, setUnder] = useState<bigint | null>(null);
  const [window, setWindow] = useState<Window | null>(null);
  const { net } = picture;
  const view = window ? { first: window.first, last: window.first + window.size - 1n } : net;
  const scale = scaleOf({ family: 4, ...view }, 14, Math.max(200, width - 28));
  const letter = scale.width / scale.size;
  const hand = useHandling(id, segment, hosts, picture, scale, svg, handling, [window, setWindow]);
  const { active, chosen, cursor, marquee } = hand;
  const room = usable(net);
  const at = active?.at ?? cursor ?? under;

  useEffect(() => {
    const element = svg.current;
    const wheel = (event: WheelEvent) => {
      if (!event.ctrlKey && !event.altKey && !event.shiftKey) return;
      event.preventDefault();
      const point = valueAt(scale, event.clientX - (element?.getBoundingClientRect().left ?? 0));
      if (!event.shiftKey) setWindow(zoomed(net, window, point, event.deltaY < 0));
      else if (window)
        setWindow(panned(net, window, (window.size / 16n) * (event.deltaY + event.deltaX > 0 ? 1n : -1n)));
    };
    element?.addEventListener('wheel', wheel, { passive: false });
    return () => element?.removeEventListener('wheel', wheel);
  });

  const middle = (value: bigint) => x(scale, value) + letter / 2;
  const visible = (value: bigint) => value >= view.first && value <= view.last;
  const shown = picture.hosts.filter((host) => visible(host.value));
  const crowded = shown.length > MANY;
  const [focused, setFocused] = useState<string | null>(null);
  const named = shown
    .filter((host) => !crowded || host.path === lit || chosen.has(`host:${host.path.split('/')[2]}`))
    .map((host) => ({ x: middle(host.value), text: cut(host.name), path: host.path }))
    .sort((a, b) => Number(b.path === lit) - Number(a.path === lit));
  const flag = picture.gateway === undefined || !visible(picture.gateway) ? [] : [middle(picture.gateway)];
  const labels = stagger(
    named,
    scale.left + scale.width,
    3,
    6,
    flag.map((post) => [post - 2, post + 12]),
  );
  const levelOf = new Map(labels.map((placed) => [placed.path, placed]));
  const bars = crowded
    ? density(
        scale,
        shown.map((host) => host.value),
        Math.floor(scale.width / 8),
      )
    : [];
  const most = Math.max(1, ...bars);
  const group = hand.marks.filter((mark) => chosen.has(mark.id));
  const markBy = useMemo(() => new Map(hand.marks.map((mark) => [mark.id, mark])), [hand.marks]);
  const hold = (name: string, drawing: ReactNode, handle?: ReactNode, tab = true) => (
    <Hold
      key={name}
      mark={markBy.get(name)}
      segment={segment}
      picture={picture}
      tab={tab}
      onLight={onLight}
      fixed={handling === null}
      moving={active?.ids.includes(name) ?? false}
      chosen={chosen.has(name)}
      changed={changed?.has(name) ?? false}
      onFocus={() => setFocused(name)}
    >
      {drawing}
      {handle}
    </Hold>
  );
  const blocked = (from: bigint, to: bigint) => {
    const left = Math.max(scale.left, x(scale, from));
    const right = Math.min(scale.left + scale.width, Math.max(left + 2.5, x(scale, to + 1n)));
    return (
      <rect
        x={left}
        y={TOP}
        width={Math.max(0, right - left)}
        height={HEIGHT}
        fill="var(--block)"
        pointerEvents="none"
      />
    );
  };
  const between = (span: { first: bigint; last: bigint }) => {
    const left = Math.max(scale.left, x(scale, span.first));
    const right = Math.min(scale.left + scale.width, x(scale, span.last + 1n));
    return right < scale.left || left > scale.left + scale.width
      ? null
      : { left, wide: Math.max(2, right - left) };
  };
  const edge = (name: string, at: number, colour: string, top = TOP, bottom = BOTTOM) =>
    hold(
      name,
      <path d={`M${at} ${top}V${bottom}`} stroke={colour} strokeWidth={2} />,
      <rect x={at - 5} y={top} width={10} height={bottom - top} fill="transparent" />,
    );
  const run = (kind: 'kept' | 'excluded', { id: name, name: words, span }: Run) => {
    const part = between(span);
    if (!part) return null;
    const { left, wide } = part;
    const [top, bottom] = kind === 'kept' ? [TOP, BOTTOM] : [TOP + 2, BOTTOM - 2];
    const label = `${words} ${short(span.first, net)}–${short(span.last, net)}`;
    return (
      <g key={name} data-run={kind}>
        {hold(
          name,
          <rect
            x={left}
            y={top}
            width={wide}
            height={bottom - top}
            fill={kind === 'kept' ? `url(#hatch-${id})` : 'var(--track)'}
            stroke={kind === 'kept' ? hue : 'var(--line)'}
            strokeDasharray={kind === 'kept' ? '3 2' : undefined}
          />,
          kind === 'kept' && wide > words.length * 6.4 + 6 && (
            <text x={left + 3} y={BOTTOM - 6} className={styles.kept}>
              {wide > label.length * 6.4 + 6 ? label : words}
            </text>
          ),
        )}
        {edge(`${name}:first`, left, hue, top, bottom)}
        {edge(`${name}:last`, left + wide, hue, top, bottom)}
      </g>
    );
  };
  const scope = picture.scope && between(picture.scope);
  const crowd = hand.marks.filter(({ kind }) => kind === 'host').length > 24;
  const stop = crowd
    ? (
        hand.marks.find(({ kind, id: name }) => kind === 'host' && name === focused) ??
        hand.marks.find(({ kind }) => kind === 'host')
      )?.id
    : null;

  return (
    <div
      ref={box}
      className={styles.ruler}
      role="group"
      aria-label={`${segment.label}: ${spoken(picture)}`}
      tabIndex={0}
      onKeyDown={hand.onKeyDown}
      onBlur={hand.onBlur}
    >
      {window && <Overview picture={picture} window={window} onPan={setWindow} width={width} />}
      <svg
        ref={svg}
        width={width}
        height={98}
        data-handled={handling !== null}
        onMouseMove={(event) =>
          setUnder(valueAt(scale, event.clientX - event.currentTarget.getBoundingClientRect().left))
        }
        onMouseLeave={() => setUnder(null)}
        {...hand.pointer}
      >
        <defs>
          <pattern
            id={`hatch-${id}`}
            width="6"
            height="6"
            patternUnits="userSpaceOnUse"
            patternTransform="rotate(45)"
          >
            <rect width="6" height="6" fill="var(--panel)" fillOpacity="0.6" />
            <path d="M0 0V6" stroke={hue} strokeWidth="2.4" strokeOpacity="0.55" />
          </pattern>
          <clipPath id={`view-${id}`}>
            <rect x={scale.left - 7} y={0} width={scale.width + 14} height={98} />
          </clipPath>
        </defs>
        <g clipPath={`url(#view-${id})`}>
          <rect
            x={scale.left}
            y={TOP}
            width={scale.width}
            height={HEIGHT}
            fill="var(--track)"
            stroke="var(--line)"
          />
          <Ticks scale={scale} picture={picture} />
          {scope &&
            hold(
              'range',
              picture.pieces.map((piece) => {
                const part = between(piece);
                return (
                  part && (
                    <rect
                      key={String(piece.first)}
                      x={part.left}
                      y={TOP + 3}
                      width={part.wide}
                      height={HEIGHT - 6}
                      fill={hue}
                      fillOpacity={0.86}
                    />
                  )
                );
              }),
            )}
          {room.first > net.first && visible(net.first) && blocked(net.first, net.first)}
          {room.last < net.last && visible(net.last) && blocked(net.last, net.last)}
          {picture.kept.map((kept) => run('kept', kept))}
          {picture.excluded.map((excluded) => run('excluded', excluded))}
          {picture.pieces.map((piece) => {
            const part = between(piece);
            const words = `DHCP ${short(piece.first, net)} – ${short(piece.last, net)}`;
            const covered = picture.kept.some(
              ({ span }) => span.first <= piece.last && span.last >= piece.first,
            );
            if (!part || covered || part.wide <= words.length * 8) return null;
            return (
              <text
                key={String(piece.first)}
                x={part.left + part.wide / 2}
                y={TOP + 14.5}
                textAnchor="middle"
                className={styles.band}
              >
                {words}
              </text>
            );
          })}
          {picture.scope &&
            visible(picture.scope.first) &&
            edge('range:first', x(scale, picture.scope.first), hue)}
          {picture.scope &&
            visible(picture.scope.last) &&
            edge('range:last', x(scale, picture.scope.last + 1n), hue)}
          {bars.map(
            (number, place) =>
              number > 0 && (
                <rect
                  key={place}
                  data-density={number}
                  x={scale.left + place * (scale.width / bars.length) + 0.5}
                  y={40 - (number / most) * 26}
                  width={scale.width / bars.length - 1}
                  height={(number / most) * 26}
                  fill="var(--quiet)"
                  fillOpacity={0.4}
                />
              ),
          )}
          {picture.gateway !== undefined &&
            visible(picture.gateway) &&
            hold(
              'gateway',
              <path
                d={`M${middle(picture.gateway)} ${BOTTOM}V24h9v9h-9`}
                fill="var(--primary)"
                stroke="var(--primary)"
                strokeWidth={2}
              />,
              <rect
                x={middle(picture.gateway) - 4}
                y={22}
                width={14}
                height={BOTTOM - 22}
                fill="transparent"
              />,
            )}
          {shown.map((host) => {
            const name = `host:${host.path.split('/')[2]}`;
            const centre = middle(host.value);
            const placed = levelOf.get(host.path);
            const bold = host.path === lit || chosen.has(name);
            const top = placed ? 36 - placed.level * 12 + 3 : TOP - 10;
            const grasp = Math.min(12, Math.max(letter, 5));
            return (
              <g key={host.path} data-host={host.name}>
                {hold(
                  name,
                  <>
                    <line
                      x1={centre}
                      x2={centre}
                      y1={top}
                      y2={TOP}
                      stroke={bold ? 'var(--accent)' : 'var(--line)'}
                    />
                    <line
                      x1={centre}
                      x2={centre}
                      y1={TOP - 10}
                      y2={BOTTOM}
                      stroke={bold ? 'var(--accent)' : 'var(--ink)'}
                      strokeWidth={bold ? 3 : 1.6}
                    />
                    <circle
                      cx={centre}
                      cy={TOP + HEIGHT / 2}
                      r={bold ? 4.5 : 2.8}
                      fill={host.reserved ? 'var(--panel)' : bold ? 'var(--accent)' : 'var(--ink)'}
                      stroke={host.reserved ? 'var(--ink)' : 'var(--panel)'}
                    />
                  </>,
                  <rect
                    x={centre - grasp / 2}
                    y={TOP - 10}
                    width={grasp}
                    height={HEIGHT + 10}
                    fill="transparent"
                  />,
                  !crowd || name === stop,
                )}
              </g>
            );
          })}
          {labels.map((placed) => (
            <text
              key={placed.path}
              x={placed.anchor === 'start' ? placed.x + 3 : placed.x - 3}
              y={36 - placed.level * 12}
              textAnchor={placed.anchor}
              className={`${styles.name} ${placed.path === lit ? styles.lit : ''}`}
            >
              {placed.text}
            </text>
          ))}
          <Notches picture={picture} scale={scale} lit={lit} />
          {cursor !== null && visible(cursor) && (
            <path
              d={`M${middle(cursor)} ${TOP - 6}V${BOTTOM + 6}`}
              stroke="var(--accent)"
              strokeWidth={2}
              data-cursor
            />
          )}
          {marquee && (
            <rect
              x={Math.min(...marquee)}
              y={14}
              width={Math.abs(marquee[1] - marquee[0])}
              height={BOTTOM - 8}
              fill="var(--accent)"
              fillOpacity={0.12}
              stroke="var(--accent)"
            />
          )}
        </g>
      </svg>
      {at !== null && active !== null && letter < SMALL_STEP && (
        <Magnifier picture={picture} at={at} x={middle(at)} />
      )}
      {at !== null && !(active && letter < SMALL_STEP) && <Readout picture={picture} value={at} />}
      {crowded && at === null && (
        <div className={styles.readout}>
          {shown.length} fixed hosts: names on pointing, + or Ctrl and wheel to look closer
        </div>
      )}
      {group.length > 1 && handling && (
        <Together
          marks={group}
          onMove={(operations) => handling.keep(operations)}
          onShow={handling.show}
          onDrop={handling.drop}
          onLetGo={() => hand.setChosen(new Set())}
        />
      )}
    </div>
  );
}

/** A name short enough to stand on a ruler. */
function cut(name: string): string {
  return name.length > 24 ? `${name.slice(0, 23)}…` : name;
}

/** Something that can be taken hold of: by the pointer, or by Tab and arrows. */
function Hold(props: {
  mark: Mark | undefined;
  segment: Segment;
  picture: SegmentPicture;
  tab: boolean;
  fixed: boolean;
  moving: boolean;
  chosen: boolean;
  changed: boolean;
  onLight: (path: string | null) => void;
  onFocus: () => void;
  children: ReactNode;
}) {
  const { mark, segment, picture, tab, fixed, moving, chosen, changed, onLight, onFocus, children } = props;
  if (!mark) return children;
  const path = mark.kind === 'host' ? mark.path.replace(/\/address$/, '') : null;
  const first = picture.net.first;
  return (
    <g
      role="slider"
      tabIndex={tab ? 0 : -1}
      data-mark={mark.id}
      aria-readonly={fixed}
      data-moving={moving}
      data-changed={changed}
      className={`${styles.hold} ${mark.end ? styles.edge : ''}`}
      aria-label={`${said({ ...mark, span: mark.span }, segment).split(' at ')[0]} in ${segment.label}${chosen ? ', chosen' : ''}`}
      aria-valuemin={0}
      aria-valuemax={Number(picture.net.last - first)}
      aria-valuenow={Number(mark.span.first - first)}
      aria-valuetext={said(mark, segment)}
      onMouseEnter={() => path && onLight(path)}
      onMouseLeave={() => path && onLight(null)}
      onFocus={() => {
        onFocus();
        if (path) onLight(path);
      }}
      onBlur={() => path && onLight(null)}
    >
      {children}
    </g>
  );
}

function Ticks({ scale, picture: { net } }: { scale: Scale; picture: SegmentPicture }) {
  return ticks(scale.size).map((offset) => {
    const at = scale.left + (offset / scale.size) * scale.width;
    return (
      <g key={offset}>
        <line x1={at} x2={at} y1={BOTTOM} y2={BOTTOM + 6} stroke="var(--block)" />
        <text x={at + 3} y={BOTTOM + 19} className={styles.tick}>
          {short(scale.first + BigInt(Math.round(offset)), net)}
        </text>
      </g>
    );
  });
}

function Notches({ picture, scale, lit }: { picture: SegmentPicture; scale: Scale; lit: string | null }) {
  return picture.notches.map((notch, index) => {
    const from = x(scale, notch.span.first);
    const to = Math.max(x(scale, notch.span.last + 1n), from + 6);
    const y = BOTTOM + 1;
    return (
      <path
        key={index}
        data-notch={notch.severity}
        d={
          notch.severity === 'stop'
            ? `M${from - 3} ${y + 7}L${from} ${y}H${to}L${to + 3} ${y + 7}Z`
            : `M${from} ${y}H${to}v4H${from}Z`
        }
        fill={`var(--${notch.severity})`}
        opacity={lit === null || lit === notch.path ? 1 : 0.45}
      >
        <title>{notch.message}</title>
      </path>
    );
  });
}

/** The address under the pointer, what it is, and who is next to it. */
function Readout({ picture, value }: { picture: SegmentPicture; value: bigint }) {
  const { below, above } = neighbours(picture, value);
  const end = (host: { name: string; value: bigint }) =>
    `${cut(host.name)} ${short(host.value, picture.net)}`;
  const beside = [below && `◂ ${end(below)}`, above && `${end(above)} ▸`].filter(Boolean).join('   ');
  return (
    <div className={`mono ${styles.readout}`}>
      {format({ family: picture.net.family, value })}{' '}
      <span className="quiet">{describe(picture, value)}</span>
      {beside && <span className={styles.beside}>{beside}</span>}
    </div>
  );
}

/** The whole subnet in a thin line with the part in view, which can be dragged along. */
function Overview(props: {
  picture: SegmentPicture;
  window: Window;
  width: number;
  onPan: (window: Window) => void;
}) {
  const { picture, window, width, onPan } = props;
  const { net } = picture;
  const scale = scaleOf(net, 14, Math.max(200, width - 28));
  const left = x(scale, window.first);
  const wide = Math.max(8, x(scale, window.first + window.size) - left);
  const centre = (clientX: number, target: Element) => {
    const value = valueAt(scale, clientX - target.getBoundingClientRect().left);
    onPan(panned(net, { ...window, first: value - window.size / 2n }, 0n));
  };
  return (
    <svg
      width={width}
      height={10}
      className={styles.overview}
      aria-label="Part in view"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        centre(event.clientX, event.currentTarget);
      }}
      onPointerMove={(event) => event.buttons === 1 && centre(event.clientX, event.currentTarget)}
    >
      <rect x={scale.left} y={3} width={scale.width} height={4} fill="var(--track)" stroke="var(--line)" />
      {picture.hosts.map((host) => (
        <rect key={host.path} x={x(scale, host.value)} y={2} width={1} height={6} fill="var(--ink)" />
      ))}
      <rect
        x={left}
        y={1}
        width={wide}
        height={8}
        fill="var(--accent)"
        fillOpacity={0.25}
        stroke="var(--accent)"
      />
    </svg>
  );
}

/** What several chosen hosts can do together. */
function Together(props: {
  marks: Mark[];
  onMove: (operations: Operation[]) => void;
  onShow: (operations: Operation[]) => void;
  onDrop: () => void;
  onLetGo: () => void;
}) {
  const { marks, onMove, onShow, onDrop, onLetGo } = props;
  const ways = [
    ['Space evenly', spaced(marks)],
    ['Close up', closedUp(marks)],
  ] as const;
  return (
    <div className={styles.together} role="toolbar" aria-label="Chosen hosts">
      <b>{marks.length} hosts</b>
      {ways.map(([words, operations]) => (
        <Button
          key={words}
          disabled={operations.length === 0}
          onMouseEnter={() => onShow(operations)}
          onMouseLeave={onDrop}
          onClick={() => onMove(operations)}
        >
          {words}
        </Button>
      ))}
      <Button onClick={onLetGo}>Let go</Button>
      <span className="quiet">drag or arrow one, all move</span>
    </div>
  );
}
