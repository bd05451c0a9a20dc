import Button from '@mui/material/Button';
import { useSearchParams } from 'react-router';
import { useMay } from '../../frame/person';
import { useDeskState } from '../context';
import { CredentialSheet } from './CredentialSheet';
import { InstallerPage } from './InstallerPage';
import { Labels } from './Labels';
import styles from './sheet.module.css';
import { Shipping } from './Shipping';
import { SiteSheet } from './SiteSheet';

const PAPERS = [
  ['sheet', 'Site sheet'],
  ['installer', "Installer's page"],
  ['labels', 'Labels'],
  ['credentials', 'Credential sheet'],
  ['ship', 'Ship'],
] as const;

const FILES: Record<string, string> = { sheet: 'site-sheet', installer: 'installer', labels: 'labels' };

/** What leaves the bench with the boxes: papers to print, and the shipping itself. */
export function HandoverPage() {
  const { name, desk } = useDeskState();
  const [search, setSearch] = useSearchParams();
  const mayRead = useMay('read');
  const paper = search.get('paper') ?? 'sheet';
  const file = FILES[paper];
  const place = [name.customer, name.site].map(encodeURIComponent).join('/');
  return (
    <>
      <div className="line far below">
        <nav aria-label="Papers" className={`line stretch near ${styles.papers}`}>
          {PAPERS.filter(([key]) => key !== 'credentials' || mayRead).map(([key, words]) => (
            <button
              key={key}
              aria-current={key === paper ? 'page' : undefined}
              onClick={() => setSearch(key === 'sheet' ? {} : { paper: key }, { replace: true })}
            >
              {words}
            </button>
          ))}
        </nav>
        {file && (
          <>
            {paper === 'sheet' && (
              <Button variant="contained" onClick={() => window.print()}>
                Print
              </Button>
            )}
            <Button
              variant={paper === 'sheet' ? 'outlined' : 'contained'}
              href={`/api/sites/${place}/handover/${file}.pdf`}
              target="_blank"
              rel="noreferrer"
            >
              PDF
            </Button>
            {!desk.summary.clear && <span className="quiet">Not clear to ship yet: the paper says so.</span>}
          </>
        )}
      </div>
      {paper === 'installer' && <InstallerPage />}
      {paper === 'labels' && <Labels />}
      {paper === 'credentials' && mayRead && <CredentialSheet />}
      {paper === 'ship' && <Shipping />}
      {paper === 'sheet' && <SiteSheet />}
    </>
  );
}
