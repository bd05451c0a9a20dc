import { InstallerBody } from '../../onsite/InstallerBody';
import { Trouble } from '../../parts/Trouble';
import { useDeskState } from '../context';
import { useTypes } from '../devices/queries';
import { WiringBoard } from '../devices/WiringBoard';
import { SiteLinks } from './SiteLinks';
import { useInstaller, useSiteLinks } from './queries';
import styles from './sheet.module.css';

/** For somebody who is not a network person: which cable in which port, what light to expect, whom to ring. */
export function InstallerPage() {
  const { name, desk } = useDeskState();
  const types = useTypes();
  const page = useInstaller(name, desk.revision.number);
  const links = useSiteLinks(name);
  if (page.error) return <Trouble>{page.error.message}</Trouble>;
  if (!page.data) return null;
  if (page.data.boxes.length === 0) {
    return <p className="quiet">There is no box to install yet: add the site's boxes on Devices.</p>;
  }
  return (
    <>
      <SiteLinks />
      <article className={`${styles.sheet} ${styles.plainWords}`} aria-label="Installer's page">
        <header className={styles.head}>
          <div>
            <div>{desk.summary.customer_name}</div>
            <h1>{desk.summary.name}</h1>
            <div>{desk.plan.street}</div>
          </div>
          <div className="right">Installer's page, revision {desk.revision.number}</div>
        </header>
        <InstallerBody
          page={page.data}
          technician={desk.plan.technician ?? ''}
          answers={links.data?.answers ?? {}}
          picture={<WiringBoard types={types} readOnly />}
        />
      </article>
    </>
  );
}
