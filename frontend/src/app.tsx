import { BrowserRouter, Navigate, Route, Routes } from 'react-router';
import { Failure } from './api/client';
import { usePerson } from './api/queries';
import { Frame } from './frame/Frame';
import { DESK, PARTS } from './drawn';
import { PAGES, SITE_PAGES, STAGES, type Page } from './pages';
import { Failed } from './parts/Failed';
import { fetched } from './parts/fetched';
import { Notice } from './parts/Notice';
import { SignInAgain } from './sign-in/SignInAgain';

const OnSitePage = fetched(async () => (await import('./onsite/OnSitePage')).OnSitePage);
const SignInPage = fetched(async () => (await import('./sign-in/SignInPage')).SignInPage);

/** A page for whoever installs on site stands apart: it asks for no account and shows nothing of the rest. */
export function App() {
  return window.location.pathname === '/on-site' ? <OnSitePage /> : <Office />;
}

function routeTo({ path }: Page) {
  const Drawn = PARTS[path];
  return Drawn && <Route key={path} path={path} element={<Drawn />} />;
}

function Office() {
  const person = usePerson();
  if (person.isPending) return null;
  if (person.error instanceof Failure && person.error.status === 401) return <SignInPage />;
  if (!person.data) return <Notice title="Octaplan does not answer" detail={String(person.error?.message)} />;
  return (
    <BrowserRouter>
      <SignInAgain />
      <Failed />
      <Routes>
        <Route element={<Frame person={person.data} />}>
          <Route index element={<Navigate to="/outbound" replace />} />
          <Route path="sites/:customer/:site" element={<DESK />}>
            <Route index element={<Navigate to="addresses" replace />} />
            {[...STAGES, ...SITE_PAGES].map(routeTo)}
          </Route>
          {PAGES.map(routeTo)}
          <Route
            path="*"
            element={
              <Notice title="There is no such page" detail="Look it up with Go to, or see Outbound." />
            }
          />
        </Route>
      </Routes>
    </BrowserRouter>
  );
}
