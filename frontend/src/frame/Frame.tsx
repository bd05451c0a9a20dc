import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import { useColorScheme } from '@mui/material/styles';
import { useState } from 'react';
import { Link, NavLink, Outlet, useNavigate } from 'react-router';
import type { Person } from '../api/client';
import { signOut } from '../api/queries';
import styles from './frame.module.css';
import { GoTo } from './GoTo';
import { PersonContext } from './person';
import { useEvents } from './useEvents';

const SECTIONS = [
  ['/outbound', 'Outbound'],
  ['/space', 'Address space'],
  ['/findings', 'Findings'],
  ['/customers', 'Customers'],
  ['/patterns', 'Patterns'],
  ['/hardware', 'Hardware'],
  ['/safe', 'Safe'],
  ['/journal', 'Journal'],
] as const;

const SCHEMES = { light: 'Light', dark: 'Dark', system: 'As the system has it' } as const;

/** The strip at the top of every page, and the page under it. */
export function Frame({ person }: { person: Person }) {
  useEvents();
  return (
    <PersonContext value={person}>
      <div className={styles.page}>
        <header className={styles.strip}>
          <Link to="/outbound" className={styles.mark} aria-label="Octaplan, to Outbound">
            <Mark />
            octaplan
          </Link>
          <GoTo />
          <nav aria-label="Sections">
            {SECTIONS.map(([path, words]) => (
              <NavLink key={path} to={path} className={styles.section}>
                {words}
              </NavLink>
            ))}
          </nav>
          <PersonMenu person={person} />
        </header>
        <main className={styles.main}>
          <Outlet />
        </main>
      </div>
    </PersonContext>
  );
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
        className={styles.person}
        aria-haspopup="menu"
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {person.full_name}
      </button>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        <MenuItem disabled>
          {person.name}, {person.role}
        </MenuItem>
        <MenuItem dense onClick={go('/rules')}>
          Rule book
        </MenuItem>
        <MenuItem dense onClick={go('/settings')}>
          Settings
        </MenuItem>
        <MenuItem dense onClick={go('/me')}>
          My account
        </MenuItem>
        {person.may.includes('administer') && (
          <MenuItem dense onClick={go('/people')}>
            People
          </MenuItem>
        )}
        {person.may.includes('administer') && (
          <MenuItem dense onClick={go('/operation')}>
            Operation
          </MenuItem>
        )}
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
