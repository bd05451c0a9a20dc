import type { Schemas } from '../api/client';
import { ROLES } from '../parts/Marks';
import styles from './patterns.module.css';

/** The segments of a pattern as a strip: as wide as their sizes say, in their roles' colours. */
export function Layout({ segments }: { segments: Schemas['LaidSegment'][] }) {
  return (
    <div className={`line stretch near ${styles.layout}`}>
      {segments.map((segment) => (
        <span
          key={segment.label}
          className={styles.part}
          style={{
            flexGrow: 3 + (32 - (segment.prefix ?? 32)),
            borderTopColor: ROLES[segment.role].hue,
          }}
        >
          <b className="clip">{segment.label}</b>
          <small className="clip">
            {segment.prefix === null ? 'no size yet' : `/${segment.prefix}`}
            {segment.vlan !== null && `, VLAN ${segment.vlan}`}
          </small>
        </span>
      ))}
      {segments.length === 0 && <span className="quiet">no segments yet</span>}
    </div>
  );
}
