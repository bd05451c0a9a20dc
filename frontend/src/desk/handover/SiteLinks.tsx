import Button from '@mui/material/Button';
import { useState } from 'react';
import { useMay } from '../../frame/person';
import { Select } from '../../parts/controls';
import { copy } from '../../parts/clipboard';
import { Trouble } from '../../parts/Trouble';
import { count, moment } from '../../parts/words';
import { useDeskState } from '../context';
import { useEndLink, useMakeLink, useSiteLinks } from './queries';
import styles from './sheet.module.css';

const DAYS = [1, 3, 7, 14, 30, 60];

/** Links to the installer's page for a telephone: made with an end, told once, ended before it when they must be. */
export function SiteLinks() {
  const { name } = useDeskState();
  const mayStage = useMay('stage');
  const links = useSiteLinks(name);
  const make = useMakeLink(name);
  const end = useEndLink(name);
  const [days, setDays] = useState(14);
  const [said, setSaid] = useState('');
  const made = make.data ? `${window.location.origin}/on-site#${make.data.token}` : '';
  const answers = Object.values(links.data?.answers ?? {});
  const bad = answers.filter((one) => !one.works).length;
  return (
    <section className={`card part ${styles.links}`} aria-label="On a telephone" data-noprint>
      <h2>On a telephone</h2>
      <p>
        A link opens this page on site without an account, shows nothing else of Octaplan, and lets its tests
        be answered.{' '}
        {answers.length > 0 &&
          `${count(answers.length, 'test')} answered${bad > 0 ? `, ${bad} not working` : ', all working'}.`}
      </p>
      {mayStage && (
        <form
          className="line"
          onSubmit={(event) => {
            event.preventDefault();
            setSaid('');
            make.mutate(days);
          }}
        >
          <label className="line">
            Good for{' '}
            <Select value={days} onChange={(event) => setDays(Number(event.target.value))}>
              {DAYS.map((one) => (
                <option key={one} value={one}>
                  {count(one, 'day')}
                </option>
              ))}
            </Select>
          </label>
          <Button type="submit" variant="outlined" loading={make.isPending}>
            Make a link
          </Button>
        </form>
      )}
      {made && (
        <div className={styles.made} role="status">
          <b>It is told this once.</b> Send it to whoever installs:
          <div className="mono broken" data-testid="link">
            {made}
          </div>
          <Button
            onClick={() =>
              void copy(made).then((done) => setSaid(done ? 'Copied' : 'Not copied: mark it and copy'))
            }
          >
            Copy it
          </Button>{' '}
          <span role="status">{said}</span>
        </div>
      )}
      {(links.data?.links.length ?? 0) > 0 && (
        <ul>
          {links.data?.links.map((link) => (
            <li key={link.id}>
              made by {link.by}, {moment(link.at)}, ends {moment(link.ends, true)}{' '}
              {mayStage && (
                <Button size="small" onClick={() => end.mutate(link.id)}>
                  End it now
                </Button>
              )}
            </li>
          ))}
        </ul>
      )}
      {make.error && <Trouble>{make.error.message}</Trouble>}
      {end.error && <Trouble>{end.error.message}</Trouble>}
    </section>
  );
}
