import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import { useColorScheme } from '@mui/material/styles';
import { useEffect, useState } from 'react';
import { Link, NavLink, Outlet, useLocation, useNavigate } from 'react-router';
import type { Person } from '../api/client';
import { signOut } from '../api/queries';
import { fetchAll } from '../drawn';
import { isFor, PAGES, titleAt, wayTo } from '../pages';
import { Boundary } from '../parts/Boundary';
import { useKeys } from '../parts/useKeys';
import styles from './frame.module.css';
import { GoTo } from './GoTo';
import { PersonContext } from './person';
import { useEvents } from './useEvents';

const SCHEMES = { light: 'Light', dark: 'Dark', system: 'As the system has it' } as const;

/** The strip at the top of every page, and the page under it. */
export function Frame({ person }: { person: Person }) {
  useEvents();
  const { pathname } = useLocation();
  const navigate = useNavigate();
  const bench = pathname.includes('/bench'); // where the same key leads to the next step
  useKeys((pressed) => {
    if (pressed !== 'n' || bench || !person.may.includes('plan')) return false;
    void navigate('/new');
    return true;
  });
  useEffect(() => {
    document.title = titleAt(pathname);
  }, [pathname]);
  useEffect(() => {
    if (savesData()) return; // who pays for every byte fetches a page when it is looked at
    const idle = window.requestIdleCallback ?? ((then: () => void) => setTimeout(then, 1));
    idle(fetchAll); // so that no page has to be waited for
  }, []);
  return (
    <PersonContext value={person}>
      <div className={`column ${styles.page}`}>
        <button className={styles.past} onClick={toPage}>
          To the page
        </button>
        <header className={styles.strip}>
          <Link to="/outbound" className={`line ${styles.mark}`} aria-label="Octaplan, to Outbound">
            <Mark />
            octaplan
          </Link>
          <GoTo />
          <nav aria-label="Sections">
            {PAGES.filter((page) => page.menu === 'strip' && isFor(page, person.may)).map((page) => (
              <NavLink key={page.path} to={wayTo(page)} className={styles.section}>
                {page.title}
              </NavLink>
            ))}
          </nav>
          <PersonMenu person={person} />
        </header>
        <main className={styles.main}>
          <Boundary at={pathname}>
            <Outlet />
          </Boundary>
        </main>
      </div>
    </PersonContext>
  );
}

/** Past the frame and the heads of a page, to what it holds. */
function toPage() {
  const page = document.querySelector<HTMLElement>('main [data-page]') ?? document.querySelector('main');
  if (!page) return;
  page.tabIndex = -1;
  page.focus();
}

/** Whether the browser asks to be sent as little as possible (Save Data API). */
function savesData(): boolean {
  return (navigator as { connection?: { saveData?: boolean } }).connection?.saveData === true;
}

function PersonMenu({ person }: { person: Person }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const { mode, setMode } = useColorScheme();
  const navigate = useNavigate();
  const go = (path: string) => () => {
    setAnchor(null);
    void navigate(path);
  };
  return (
    <>
      <button
        className={`end small`}
        aria-haspopup="menu"
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {person.full_name}
      </button>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        <MenuItem disabled>
          {person.name}, {person.role}
        </MenuItem>
        {PAGES.filter((page) => page.menu === 'person' && isFor(page, person.may)).map((page) => (
          <MenuItem key={page.path} dense onClick={go(wayTo(page))}>
            {page.title}
          </MenuItem>
        ))}
        {Object.entries(SCHEMES).map(([scheme, words]) => (
          <MenuItem
            key={scheme}
            dense
            selected={mode === scheme}
            onClick={() => setMode(scheme as keyof typeof SCHEMES)}
          >
            {words}
          </MenuItem>
        ))}
        <MenuItem dense component="a" href="/licences.txt" target="_blank" onClick={() => setAnchor(null)}>
          Licences
        </MenuItem>
        <MenuItem dense onClick={() => void signOut()}>
          Sign out
        </MenuItem>
      </Menu>
    </>
  );
}

/** The mark of Octaplan: a ruler with its flag; the browser's tab shows the same picture. */
export function Mark() {
  return <img src="/mark.svg" width="22" height="22" alt="" />;
}
