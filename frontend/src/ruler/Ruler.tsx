import { useEffect, useRef, useState } from 'react';
import { format, short, usable } from './addresses';
import { describe, scaleOf, stagger, ticks, valueAt, x, type SegmentPicture } from './geometry';
import styles from './ruler.module.css';

const TOP = 50;
const HEIGHT = 20;
const MANY = 40;

interface Props {
  picture: SegmentPicture;
  hue: string;
  label: string;
  lit: string | null;
  onLight: (path: string | null) => void;
}

/** One subnet to scale: gateway, hosts, range, blocked ends, and a notch where something collides. */
export function Ruler({ picture, hue, label, lit, onLight }: Props) {
  const [box, width] = useWidth();
  const [under, setUnder] = useState<bigint | null>(null);
  const { net, hosts, pieces, notches, gateway } = picture;
  if (net.family === 6) return <UsedOnly picture={picture} label={label} />;

  const scale = scaleOf(net, 14, Math.max(200, width - 28));
  const right = scale.left + scale.width;
  const letter = scale.width / scale.size;
  const room = usable(net);
  const crowded = hosts.length > MANY;
  const named = hosts
    .filter((host) => !crowded || host.path === lit)
    .map((host) => ({ x: x(scale, host.value) + letter / 2, text: host.name, path: host.path }))
    .sort((a, b) => Number(b.path === lit) - Number(a.path === lit));
  const flag = gateway === undefined ? [] : [x(scale, gateway) + letter / 2];
  const labels = stagger(
    named,
    right,
    3,
    6,
    flag.map((at) => [at - 2, at + 12]),
  );
  const levelOf = new Map(labels.map((placed) => [placed.path, placed]));
  const block = (from: bigint, to: bigint) => {
    const left = x(scale, from);
    return (
      <rect
        x={left}
        y={TOP}
        width={Math.max(2.5, x(scale, to + 1n) - left)}
        height={HEIGHT}
        fill="var(--block)"
      />
    );
  };
  const point = (event: { clientX: number; currentTarget: SVGSVGElement }) =>
    setUnder(valueAt(scale, event.clientX - event.currentTarget.getBoundingClientRect().left));

  return (
    <div ref={box} className={styles.ruler}>
      <svg
        width={width}
        height={98}
        role="img"
        aria-label={`${label}: ${spoken(picture)}`}
        onMouseMove={point}
        onMouseLeave={() => setUnder(null)}
      >
        <rect
          x={scale.left}
          y={TOP}
          width={scale.width}
          height={HEIGHT}
          fill="var(--track)"
          stroke="var(--line)"
        />
        {ticks(scale.size).map((offset) => {
          const at = scale.left + (offset / scale.size) * scale.width;
          return (
            <g key={offset}>
              <line x1={at} x2={at} y1={TOP + HEIGHT} y2={TOP + HEIGHT + 6} stroke="var(--block)" />
              <text x={at + 3} y={TOP + HEIGHT + 19} className={styles.tick}>
                {short(net.first + BigInt(Math.round(offset)), net)}
              </text>
            </g>
          );
        })}
        {pieces.map((piece) => {
          const left = x(scale, piece.first);
          const wide = Math.max(2, x(scale, piece.last + 1n) - left);
          const words = `DHCP ${short(piece.first, net)} – ${short(piece.last, net)}`;
          return (
            <g key={String(piece.first)}>
              <rect x={left} y={TOP + 3} width={wide} height={HEIGHT - 6} fill={hue} fillOpacity={0.86} />
              <path
                d={`M${left} ${TOP}v${HEIGHT}M${left + wide} ${TOP}v${HEIGHT}`}
                stroke={hue}
                strokeWidth={2}
              />
              {wide > words.length * 8 && (
                <text x={left + wide / 2} y={TOP + 14.5} textAnchor="middle" className={styles.band}>
                  {words}
                </text>
              )}
            </g>
          );
        })}
        {room.first > net.first && block(net.first, net.first)}
        {room.last < net.last && block(net.last, net.last)}
        {gateway !== undefined && (
          <path
            d={`M${x(scale, gateway) + letter / 2} ${TOP + HEIGHT}V24h9v9h-9`}
            fill="var(--primary)"
            stroke="var(--primary)"
            strokeWidth={2}
          />
        )}
        {hosts.map((host) => {
          const at = x(scale, host.value) + letter / 2;
          const placed = levelOf.get(host.path);
          const shown = host.path === lit;
          const top = placed ? 36 - placed.level * 12 + 3 : TOP - 10;
          return (
            <g
              key={host.path}
              data-host={host.name}
              onMouseEnter={() => onLight(host.path)}
              onMouseLeave={() => onLight(null)}
            >
              <line x1={at} x2={at} y1={top} y2={TOP} stroke={shown ? 'var(--accent)' : 'var(--line)'} />
              <line
                x1={at}
                x2={at}
                y1={TOP - 10}
                y2={TOP + HEIGHT}
                stroke={shown ? 'var(--accent)' : 'var(--ink)'}
                strokeWidth={shown ? 3 : 1.6}
              />
              <circle
                cx={at}
                cy={TOP + HEIGHT / 2}
                r={shown ? 4.5 : 2.8}
                fill={host.reserved ? 'var(--panel)' : shown ? 'var(--accent)' : 'var(--ink)'}
                stroke={host.reserved ? 'var(--ink)' : 'var(--panel)'}
              />
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
        {notches.map((notch, index) => {
          const from = x(scale, notch.span.first);
          const to = Math.max(x(scale, notch.span.last + 1n), from + 6);
          const y = TOP + HEIGHT + 1;
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
        })}
      </svg>
      {under !== null && (
        <div className={`mono ${styles.readout}`}>
          {format({ family: net.family, value: under })}{' '}
          <span className="quiet">{describe(picture, under)}</span>
        </div>
      )}
      {crowded && under === null && (
        <div className={styles.readout}>{hosts.length} fixed hosts, names on pointing</div>
      )}
    </div>
  );
}

/** An IPv6 segment: what is used, as a list, since 2^64 addresses have no scale. */
function UsedOnly({ picture, label }: { picture: SegmentPicture; label: string }) {
  const { net, gateway, hosts } = picture;
  const text = (value: bigint) => format({ family: net.family, value });
  return (
    <div className={styles.used} role="img" aria-label={`${label}: ${spoken(picture)}`}>
      {gateway !== undefined && (
        <span>
          gateway <b className="mono">{text(gateway)}</b>
        </span>
      )}
      {picture.pieces.map((piece) => (
        <span key={String(piece.first)} className="mono">
          DHCP {text(piece.first)} – {text(piece.last)}
        </span>
      ))}
      {hosts.slice(0, 12).map((host) => (
        <span key={host.path}>
          {host.name} <b className="mono">{text(host.value)}</b>
        </span>
      ))}
      {hosts.length > 12 && <span className="quiet">and {hosts.length - 12} more</span>}
    </div>
  );
}

function spoken({ net, hosts, pieces, gateway, notches, free }: SegmentPicture): string {
  const text = (value: bigint) => format({ family: net.family, value });
  return [
    gateway === undefined ? 'no gateway' : `gateway ${text(gateway)}`,
    ...pieces.map((piece) => `DHCP ${text(piece.first)} to ${text(piece.last)}`),
    `${hosts.length} fixed hosts`,
    `${free} free`,
    ...(notches.length ? [`${notches.length} collisions`] : []),
  ].join(', ');
}

/** The width of an element, followed as it changes. */
function useWidth() {
  const box = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(724);
  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const observer = new ResizeObserver(([entry]) => entry && setWidth(Math.floor(entry.contentRect.width)));
    observer.observe(element);
    return () => observer.disconnect();
  }, []);
  return [box, width] as const;
}
