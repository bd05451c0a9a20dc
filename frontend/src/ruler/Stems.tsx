import { BOTTOM, cut, HEIGHT, TOP, type Drawing } from './drawing';
import { density, stagger, type SegmentPicture } from './geometry';
import { Hold } from './Hold';
import type { Mark } from './marks';
import styles from './ruler.module.css';

/** More hosts than these in view have no room for their names. */
const MANY = 40;
/** More hosts than these are one stop of the Tab key. */
const STOPS = 24;

type DrawnHost = SegmentPicture['hosts'][number];
type Placed = ReturnType<typeof stagger>[number];

interface Props {
  drawing: Drawing;
  marks: Mark[];
  lit: string | null;
  chosen: ReadonlySet<string>;
  focused: string | null;
}

/** The hosts in view, and whether they are too many for their names. */
export function inView({ picture, visible }: Drawing): { shown: DrawnHost[]; crowded: boolean } {
  const shown = picture.hosts.filter((host) => visible(host.value));
  return { shown, crowded: shown.length > MANY };
}

/** Fixed hosts as stems with staggered names, or how dense they are when there are many. */
export function Stems({ drawing, marks, lit, chosen, focused }: Props) {
  const { scale, picture, middle, visible } = drawing;
  const { shown, crowded } = inView(drawing);
  const named = shown
    .filter((host) => !crowded || host.path === lit || chosen.has(nameOf(host)))
    .map((host) => ({ x: middle(host.value), text: cut(host.name), path: host.path }));
  const flag = picture.gateway === undefined || !visible(picture.gateway) ? [] : [middle(picture.gateway)];
  const labels = stagger(
    named,
    scale.left + scale.width,
    3,
    6,
    flag.map((post) => [post - 2, post + 12]),
    lit,
  );
  const placed = new Map(labels.map((label) => [label.path, label]));
  const hosts = marks.filter(({ kind }) => kind === 'host');
  const stop = hosts.length > STOPS ? (hosts.find(({ id }) => id === focused) ?? hosts[0])?.id : null;
  return (
    <>
      {crowded && <Density drawing={drawing} shown={shown} />}
      {shown.map((host) => (
        <Stem
          key={host.path}
          host={host}
          drawing={drawing}
          placed={placed.get(host.path)}
          bold={host.path === lit || chosen.has(nameOf(host))}
          tab={stop === null || nameOf(host) === stop}
        />
      ))}
      {labels.map((label) => (
        <text
          key={label.path}
          x={label.anchor === 'start' ? label.x + 3 : label.x - 3}
          y={36 - label.level * 12}
          textAnchor={label.anchor}
          className={`${styles.name} ${label.path === lit ? styles.lit : ''}`}
        >
          {label.text}
        </text>
      ))}
    </>
  );
}

function nameOf(host: DrawnHost): string {
  return `host:${host.path.split('/')[2]}`;
}

function Stem(props: {
  host: DrawnHost;
  drawing: Drawing;
  placed: Placed | undefined;
  bold: boolean;
  tab: boolean;
}) {
  const { host, drawing, placed, bold, tab } = props;
  const centre = drawing.middle(host.value);
  const top = placed ? 36 - placed.level * 12 + 3 : TOP - 10;
  const grasp = Math.min(12, Math.max(drawing.letter, 5));
  return (
    <g data-host={host.name}>
      <Hold name={nameOf(host)} tab={tab}>
        <line x1={centre} x2={centre} y1={top} y2={TOP} stroke={bold ? 'var(--accent)' : 'var(--line)'} />
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
        <rect x={centre - grasp / 2} y={TOP - 10} width={grasp} height={HEIGHT + 10} fill="transparent" />
      </Hold>
    </g>
  );
}

function Density({ drawing: { scale }, shown }: { drawing: Drawing; shown: DrawnHost[] }) {
  const bars = density(
    scale,
    shown.map((host) => host.value),
    Math.floor(scale.width / 8),
  );
  const most = Math.max(1, ...bars);
  const wide = scale.width / bars.length;
  return bars.map(
    (number, place) =>
      number > 0 && (
        <rect
          key={place}
          data-density={number}
          x={scale.left + place * wide + 0.5}
          y={40 - (number / most) * 26}
          width={wide - 1}
          height={(number / most) * 26}
          fill="var(--quiet)"
          fillOpacity={0.4}
        />
      ),
  );
}
