import { useQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { Fragment, useRef } from 'react';
import { Link } from 'react-router';
import { api, body, type Schemas } from '../api/client';
import { SeverityMark } from '../parts/Marks';
import { Trouble } from '../parts/Trouble';
import { count, deskPath } from '../parts/words';
import { parse, subnet } from '../ruler/addresses';
import styles from './space.module.css';

type Line = Schemas['PublicBlock'];

/** The blocks that providers have handed to sites, each with its gateway and the site's own address. */
export function PublicSpace({ customer }: { customer: string }) {
  const scroller = useRef<HTMLDivElement>(null);
  const shown = useQuery({
    queryKey: ['space', 'public', customer],
    queryFn: async () => body(await api.GET('/api/space/public', { params: { query: { customer } } })),
  });
  const lines = shown.data ?? [];
  // eslint-disable-next-line react-hooks/incompatible-library -- the list is drawn anew with every scroll
  const rows = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: (index) => (lines[index]?.provider === lines[index - 1]?.provider ? 30 : 62),
    overscan: 10,
  });
  if (shown.error) return <Trouble>{shown.error.message}</Trouble>;
  if (!shown.data) return null;
  return (
    <>
      <p className="quiet" role="status">
        {lines.length === 0 ? 'No provider has handed anything out yet' : count(lines.length, 'block')}
      </p>
      <div ref={scroller} className={`card scroll ${styles.public}`}>
        <div style={{ height: rows.getTotalSize(), position: 'relative' }} role="list">
          {rows.getVirtualItems().map((item) => {
            const line = lines[item.index];
            if (!line) return null;
            const first = line.provider !== lines[item.index - 1]?.provider || item.index === 0;
            return (
              <div
                key={item.key}
                role="listitem"
                className={`afloat ${styles.handed}`}
                style={{ transform: `translateY(${item.start}px)` }}
              >
                {first && <h2 className={styles.provider}>{line.provider || 'Provider not known'}</h2>}
                <div className={styles.handedRow}>
                  <span className="mono">{line.network}</span>
                  <Strip line={line} />
                  <Link to={`${deskPath(line)}#${line.path}/address`}>
                    {line.customer}/{line.site} {line.label}
                  </Link>
                  <span>
                    {line.shared && (
                      <>
                        <SeverityMark of="stop" size={12} /> overlaps another block
                      </>
                    )}
                    {line.routed && ' routed'}
                    {line.further.length > 0 &&
                      ` ${count(line.further.length, 'further address', 'further addresses')} taken`}
                  </span>
                </div>
              </div>
            );
          })}
        </div>
      </div>
    </>
  );
}

/** A small block with one box an address; larger ones to scale without boxes. */
function Strip({ line }: { line: Line }) {
  const net = subnet(line.network);
  if (!net) return <span />;
  const size = net.last - net.first + 1n;
  const boxes = size <= 16n ? Number(size) : 0;
  const place = (text: string | null) => {
    const value = parse(text)?.value;
    return value === undefined || value < net.first || value > net.last ? null : Number(value - net.first);
  };
  const [own, gateway] = [place(line.address), place(line.gateway)];
  const wide = 224;
  const step = boxes ? wide / boxes : wide / Number(size);
  const mark = (at: number | null, fill: string) =>
    at !== null && <rect x={at * step} y={2} width={Math.max(3, step)} height={16} fill={fill} />;
  return (
    <svg width={wide + 1} height={20} aria-hidden="true">
      <rect x={0.5} y={2} width={wide} height={16} fill="var(--track)" stroke="var(--block)" />
      {Array.from({ length: Math.max(0, boxes - 1) }, (_, n) => (
        <path key={n} d={`M${(n + 1) * step} 2v16`} stroke="var(--line)" />
      ))}
      {line.further.map((address) => (
        <Fragment key={address}>{mark(place(address), 'var(--quiet)')}</Fragment>
      ))}
      {mark(gateway, 'var(--block)')}
      {mark(own, 'var(--primary)')}
      {line.shared && <path d={`M0 18.5H${wide}`} stroke="var(--stop)" strokeWidth={3} />}
    </svg>
  );
}
