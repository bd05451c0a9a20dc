import { short } from './addresses';
import { BOTTOM, HEIGHT, TOP, type Drawing } from './drawing';
import { x, type Run } from './geometry';
import { Edge, Hold } from './Hold';
import styles from './ruler.module.css';

/** What DHCP hands out: one band less what is excluded. */
export function Range({ picture, hue, between }: Drawing) {
  if (!picture.scope || !between(picture.scope)) return null;
  return (
    <Hold name="range">
      {picture.pieces.map((piece) => {
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
      })}
    </Hold>
  );
}

/** The numbers on the band, and its two ends. */
export function RangeEnds({ picture, hue, scale, visible, between }: Drawing) {
  const { scope, net } = picture;
  return (
    <>
      {picture.pieces.map((piece) => {
        const part = between(piece);
        const words = `DHCP ${short(piece.first, net)} – ${short(piece.last, net)}`;
        const covered = picture.kept.some(({ span }) => span.first <= piece.last && span.last >= piece.first);
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
      {scope && visible(scope.first) && <Edge name="range:first" at={x(scale, scope.first)} colour={hue} />}
      {scope && visible(scope.last) && <Edge name="range:last" at={x(scale, scope.last + 1n)} colour={hue} />}
    </>
  );
}

/** Runs that are kept for a kind of host, hatched, and those that are excluded from the range. */
export function Runs(drawing: Drawing) {
  const { kept, excluded } = drawing.picture;
  return (
    <>
      {kept.map((run) => (
        <OneRun key={run.id} kind="kept" run={run} drawing={drawing} />
      ))}
      {excluded.map((run) => (
        <OneRun key={run.id} kind="excluded" run={run} drawing={drawing} />
      ))}
    </>
  );
}

function OneRun({ kind, run, drawing }: { kind: 'kept' | 'excluded'; run: Run; drawing: Drawing }) {
  const { id, hue, picture, between } = drawing;
  const { id: name, name: words, span } = run;
  const part = between(span);
  if (!part) return null;
  const { left, wide } = part;
  const [top, bottom] = kind === 'kept' ? [TOP, BOTTOM] : [TOP + 2, BOTTOM - 2];
  const label = `${words} ${short(span.first, picture.net)}–${short(span.last, picture.net)}`;
  return (
    <g data-run={kind}>
      <Hold name={name}>
        <rect
          x={left}
          y={top}
          width={wide}
          height={bottom - top}
          fill={kind === 'kept' ? `url(#hatch-${id})` : 'var(--track)'}
          stroke={kind === 'kept' ? hue : 'var(--quiet)'}
          strokeDasharray={kind === 'kept' ? '3 2' : '1 2'}
        />
        {kind === 'excluded' && (
          <text
            x={left + wide / 2}
            y={wide > 58 ? BOTTOM - 6 : TOP - 3}
            textAnchor="middle"
            className={styles.excluded}
          >
            excluded
          </text>
        )}
        {kind === 'kept' && wide > words.length * 6.4 + 6 && (
          <text x={left + 3} y={BOTTOM - 6} className={styles.kept}>
            {wide > label.length * 6.4 + 6 ? label : words}
          </text>
        )}
      </Hold>
      <Edge name={`${name}:first`} at={left} colour={hue} top={top} bottom={bottom} />
      <Edge name={`${name}:last`} at={left + wide} colour={hue} top={top} bottom={bottom} />
    </g>
  );
}
