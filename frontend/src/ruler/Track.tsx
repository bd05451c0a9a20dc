import { short, usable } from './addresses';
import { BOTTOM, HEIGHT, TOP, type Drawing } from './drawing';
import { ticks, x, type Scale, type SegmentPicture } from './geometry';
import { Hold } from './Hold';
import styles from './ruler.module.css';

/** The hatching of kept runs, and what the drawing is cut off at. */
export function Definitions({ id, hue, scale }: Drawing) {
  return (
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
  );
}

/** The empty band with its natural boundaries. */
export function Track({ scale, picture }: Drawing) {
  return (
    <>
      <rect
        x={scale.left}
        y={TOP}
        width={scale.width}
        height={HEIGHT}
        fill="var(--track)"
        stroke="var(--line)"
      />
      <Ticks scale={scale} picture={picture} />
    </>
  );
}

function Ticks({ scale, picture: { net } }: { scale: Scale; picture: SegmentPicture }) {
  const long = net.family === 6 && scale.first - net.first > 1n << 32n;
  return ticks(net, scale, long ? 4 : 8).map((value) => {
    const at = x(scale, value);
    return (
      <g key={String(value)}>
        <line x1={at} x2={at} y1={BOTTOM} y2={BOTTOM + 6} stroke="var(--block)" />
        <text x={at + 3} y={BOTTOM + 19} className={styles.tick}>
          {short(value, net)}
        </text>
      </g>
    );
  });
}

/** The ends that no host can have: network and broadcast address. */
export function BlockedEnds({ picture: { net }, scale, visible }: Drawing) {
  const room = usable(net);
  const ends = [room.first > net.first ? net.first : null, room.last < net.last ? net.last : null];
  return ends.map((value) => {
    if (value === null || !visible(value)) return null;
    const left = Math.max(scale.left, x(scale, value));
    const right = Math.min(scale.left + scale.width, Math.max(left + 2.5, x(scale, value + 1n)));
    return (
      <rect
        key={String(value)}
        x={left}
        y={TOP}
        width={Math.max(0, right - left)}
        height={HEIGHT}
        fill="var(--block)"
        pointerEvents="none"
      />
    );
  });
}

/** The gateway, as a post with its flag. */
export function Gateway({ picture: { gateway }, visible, middle }: Drawing) {
  if (gateway === undefined || !visible(gateway)) return null;
  const at = middle(gateway);
  return (
    <Hold name="gateway">
      <path d={`M${at} ${BOTTOM}V24h9v9h-9`} fill="var(--primary)" stroke="var(--primary)" strokeWidth={2} />
      <rect x={at - 4} y={22} width={14} height={BOTTOM - 22} fill="transparent" />
    </Hold>
  );
}

/** Where something collides, exactly there. */
export function Notches({ picture, scale, lit }: Drawing & { lit: string | null }) {
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
