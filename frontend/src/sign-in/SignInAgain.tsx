import Dialog from '@mui/material/Dialog';
import { useEffect, useState } from 'react';
import { ENDED } from '../api/client';
import { fetched } from '../parts/fetched';

const SignIn = fetched(async () => (await import('./SignInPage')).SignIn);

/** Signs in again over a page whose session has ended, so that nothing typed on it is lost. */
export function SignInAgain() {
  const [ended, setEnded] = useState(false);
  useEffect(() => {
    const end = () => setEnded(true);
    window.addEventListener(ENDED, end);
    return () => window.removeEventListener(ENDED, end);
  }, []);
  return (
    <Dialog open={ended} slotProps={{ paper: { 'aria-label': 'Sign in again' } }}>
      <SignIn title="The session has ended: sign in again" onDone={() => setEnded(false)} />
    </Dialog>
  );
}
