import type { Cell } from './queries';
import { shortServices } from './matrix';

/**
 * What is meant as a gate, open or closed, and what the boxes do as a line that passes it or stops before it. Where the
 * two agree it is drawn thin; a line through a closed gate, or one that stops before an open one, is drawn heavy.
 */
export function Gate({ cell, wide = 54 }: { cell: Cell; wide?: number }) {
  const amiss = !cell.agrees && !cell.unknown;
  const opened = cell.meant !== 'closed';
  const passes = amiss ? cell.extra || !cell.missing : cell.result !== 'stopped';
  const ink = amiss ? 'var(--stop)' : passes ? 'var(--clear)' : 'var(--block)';
  const middle = wide / 2;
  const heavy = amiss ? 2.6 : passes ? 1.8 : 1.4;
  const ports = cell.meant === 'services' || cell.result === 'partly' ? shortServices(cell.does) : '';
  const shown = ports && ports !== 'none' && ports !== 'any' ? ports : '';
  return (
    <svg width={wide} height={26} viewBox={`0 0 ${wide} 26`} aria-hidden>
      {opened ? (
        <path
          d={`M${middle} 3v6M${middle} 17v6`}
          stroke={amiss ? 'var(--stop)' : 'var(--quiet)'}
          strokeWidth={2.4}
        />
      ) : (
        <path d={`M${middle} 3v20`} stroke={amiss ? 'var(--stop)' : 'var(--block)'} strokeWidth={2.4} />
      )}
      {passes ? (
        <path
          d={`M6 13H${wide - 8}m-5 -4 5 4-5 4`}
          fill="none"
          stroke={ink}
          strokeWidth={heavy}
          strokeLinecap="round"
        />
      ) : (
        <path
          d={`M6 13H${middle - 6}m0 -3v6`}
          fill="none"
          stroke={ink}
          strokeWidth={heavy}
          strokeDasharray={amiss ? undefined : '2 2'}
        />
      )}
      {cell.unknown && (
        <text x={wide - 10} y={11} fontSize={11} fill="var(--note)">
          ?
        </text>
      )}
      {shown && (
        <text x={middle + 4} y={9} fontSize={9} fill="var(--quiet)">
          {shown.slice(0, 7)}
        </text>
      )}
    </svg>
  );
}
