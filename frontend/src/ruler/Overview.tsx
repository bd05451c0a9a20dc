import { panned, scaleOf, valueAt, x, type SegmentPicture, type Window } from './geometry';
import styles from './ruler.module.css';

/** The whole subnet in a thin line with the part in view, which can be dragged along. */
export function Overview(props: {
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
