import { Trouble } from '../../parts/Trouble';
import { useDeskState } from '../context';
import { useLabels } from './queries';
import styles from './sheet.module.css';

/** One label a box, as it is printed: host name, site, ports, and a code of host name and revision. */
export function Labels() {
  const { name, desk } = useDeskState();
  const labels = useLabels(name, desk.revision.number);
  if (labels.error) return <Trouble>{labels.error.message}</Trouble>;
  if (!labels.data) return null;
  if (labels.data.length === 0) {
    return <p className="quiet">There is no box to label yet: add the site's boxes on Devices.</p>;
  }
  return (
    <div className={styles.labels}>
      {labels.data.map((label) => (
        <article key={label.code} className={styles.label} aria-label={`Label of ${label.name}`}>
          <div>
            <b>{label.name}</b>
            <div>{label.site}</div>
            <div className="mono">{label.address}</div>
            {label.ports.slice(0, 6).map((line) => (
              <div key={line} className="mono">
                {line}
              </div>
            ))}
            {label.ports.length > 6 && <div>and {label.ports.length - 6} ports more: see the site sheet</div>}
            {label.barcode && (
              <div>
                <img className={styles.bars} src={label.barcode} alt={`Barcode: ${label.serial}`} />
                <span className="mono">{label.serial}</span>
              </div>
            )}
          </div>
          <div>
            <img src={label.picture} alt={`QR code: ${label.code}`} />
            <div>revision {desk.revision.number}</div>
          </div>
        </article>
      ))}
    </div>
  );
}
