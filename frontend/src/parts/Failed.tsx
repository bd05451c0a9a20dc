import Alert from '@mui/material/Alert';
import Snackbar from '@mui/material/Snackbar';
import { useEffect, useState } from 'react';
import { FAILED } from '../api/client';

/** Says over any page that the server failed, so that what could not be looked up never seems not to be there. */
export function Failed() {
  const [problem, setProblem] = useState('');
  useEffect(() => {
    const tell = (event: Event) => setProblem((event as CustomEvent<string>).detail);
    window.addEventListener(FAILED, tell);
    return () => window.removeEventListener(FAILED, tell);
  }, []);
  return (
    <Snackbar open={problem !== ''} anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}>
      <Alert severity="error" variant="outlined" onClose={() => setProblem('')}>
        Something on this page could not be fetched. {problem}
      </Alert>
    </Snackbar>
  );
}
