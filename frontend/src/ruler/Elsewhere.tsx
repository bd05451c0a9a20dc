import { short, type Span } from './addresses';
import { panned, type SegmentPicture, type Window } from './geometry';
import { LinkButton } from '../parts/controls';
import styles from './ruler.module.css';

/** The most that is told of what is out of view. */
const TOLD = 8;

interface Used {
  name: string;
  span: Pick<Span, 'first' | 'last'>;
}

/** What is used outside the view of an IPv6 subnet, which has no scale as a whole: each leads to where it is. */
export function Elsewhere(props: {
  picture: SegmentPicture;
  window: Window;
  onGo: (window: Window) => void;
}) {
  const { picture, window, onGo } = props;
  const { net, hosts, pieces, gateway } = picture;
  const used: Used[] = [
    ...(gateway === undefined ? [] : [{ name: 'gateway', span: { first: gateway, last: gateway } }]),
    ...pieces.map((span) => ({ name: 'DHCP', span })),
    ...hosts.map(({ name, value }) => ({ name, span: { first: value, last: value } })),
  ];
  const out = used.filter(({ span }) => span.last < window.first || span.first >= window.first + window.size);
  if (out.length === 0) return null;
  return (
    <div className={`line wrap small ${styles.elsewhere}`} role="group" aria-label="Out of view">
      <span className="quiet">out of view:</span>
      {out.slice(0, TOLD).map(({ name, span }) => (
        <LinkButton
          key={`${name} ${span.first}`}
          onClick={() => onGo(panned(net, { ...window, first: span.first - window.size / 2n }, 0n))}
        >
          {name} <span className="mono">{short(span.first, net)}</span>
        </LinkButton>
      ))}
      {out.length > TOLD && <span className="quiet">and {out.length - TOLD} more</span>}
    </div>
  );
}
