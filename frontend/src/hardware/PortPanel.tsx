import type { HardwareType } from '../api/client';
import styles from './hardware.module.css';

type Port = HardwareType['panel'][number];

const ROLES: Record<Port['factory_role'], string> = {
  internet: 'internet',
  inside: 'inside',
  management: 'management',
  none: 'nothing',
};

/** The port panel as one sees it on the box: bridged ports share a bar, where the laptop may go is marked. */
export function PortPanel({ type, small = false }: { type: HardwareType; small?: boolean }) {
  return (
    <span className={small ? styles.smallPanel : styles.panel} role={small ? undefined : 'list'}>
      {type.panel.map((port, index) => {
        const joined = port.bridge !== null && type.panel[index + 1]?.bridge === port.bridge;
        return (
          <span
            key={port.name}
            role={small ? undefined : 'listitem'}
            className={styles.port}
            data-medium={port.medium}
            data-role={port.factory_role}
            data-laptop={port.laptop}
            title={`${port.name}: ${port.medium}, ${ROLES[port.factory_role]} out of the carton${port.laptop ? '' : `; not for the laptop: ${port.why_not ?? ''}`}`}
          >
            {!small && <span className={styles.portName}>{port.name}</span>}
            <i className={styles.hole} />
            {port.bridge && <i className={styles.bar} data-joined={joined} />}
            {!small && (
              <span className={styles.portWords}>
                {port.laptop && port.medium === 'copper'
                  ? 'laptop'
                  : port.medium === 'copper'
                    ? ''
                    : port.medium}
              </span>
            )}
          </span>
        );
      })}
      {type.panel.length === 0 && <span className="quiet">no ports yet</span>}
    </span>
  );
}
