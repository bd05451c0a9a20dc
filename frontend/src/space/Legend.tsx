import { RoleMark, ROLES, SeverityMark } from '../parts/Marks';
import { subnet } from '../ruler/addresses';
import type { Colour } from './Levels';
import { hueOf, type Space } from './levels';
import styles from './space.module.css';

/** So many sites are told by their colour; more look alike. */
const SITES = 8;

/** What colours, hatching and frames of the picture mean, and in whose blocks all of it lies. */
export function Legend({ space, colour, lit }: { space: Space; colour: Colour; lit: boolean }) {
  const window = subnet(space.window);
  const around = space.blocks.filter(({ network }) => {
    const net = subnet(network);
    return net && window && net.prefix < window.prefix;
  });
  return (
    <div className={`line wrap small ${styles.legend}`} role="note" aria-label="Legend">
      {around.length > 0 && (
        <b>inside {around.map(({ network, customer }) => `${network} of ${customer}`).join(' and ')}</b>
      )}
      <Colours space={space} colour={colour} />
      {space.blocks.length > around.length && (
        <span className="line near">
          <i className={styles.swatch} data-block /> block of a customer
        </span>
      )}
      {space.segments.some(({ shared }) => shared) && (
        <span className="line near">
          <i className={styles.swatch} data-shared /> shares addresses with another
        </span>
      )}
      {lit && (
        <span className="line near">
          <i className={styles.swatch} style={{ background: 'var(--accent)' }} /> room that was found
        </span>
      )}
    </div>
  );
}

function Colours({ space, colour }: { space: Space; colour: Colour }) {
  if (colour === 'full') {
    return (
      <span className="line near">
        <i className={styles.swatch} style={{ background: 'var(--primary)' }} /> a segment; above it, the
        higher the fuller
      </span>
    );
  }
  if (colour === 'trouble') {
    return (['stop', 'warn', 'clear'] as const).map((state) => (
      <span key={state} className="line near">
        <SeverityMark of={state} size={12} /> {state === 'clear' ? 'nothing found' : `with a ${state}`}
      </span>
    ));
  }
  if (colour === 'role') {
    const roles = [...new Set(space.segments.map(({ role }) => role))];
    return roles.map((role) => (
      <span key={role} className="line near">
        <RoleMark role={role} /> {ROLES[role].word}
      </span>
    ));
  }
  const sites = [...new Set(space.segments.map(({ customer, site }) => `${customer}/${site}`))];
  return (
    <>
      {sites.slice(0, SITES).map((site) => (
        <span key={site} className="line near">
          <i className={styles.swatch} style={{ background: hueOf(site) }} /> {site}
        </span>
      ))}
      {sites.length > SITES && <span className="quiet">and {sites.length - SITES} more sites</span>}
    </>
  );
}
