import { BrowserRouter, Navigate, Route, Routes } from 'react-router';
import { Failure } from './api/client';
import { usePerson } from './api/queries';
import { Frame } from './frame/Frame';
import { DESK, PAGES, SITE_PAGES, STAGES } from './pages';
import { Failed } from './parts/Failed';
import { fetched } from './parts/fetched';
import { Notice } from './parts/Notice';
import { SignInAgain } from './sign-in/SignInAgain';

const SignInPage = fetched(async () => (await import('./sign-in/SignInPage')).SignInPage);

export function App() {
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
            {[...STAGES, ...SITE_PAGES].map(({ path, page: Stage }) => (
              <Route key={path} path={path} element={<Stage />} />
            ))}
          </Route>
          {PAGES.map(({ path, page: Page }) => (
            <Route key={path} path={path} element={<Page />} />
          ))}
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
