import Button from '@mui/material/Button';
import { Link } from 'react-router';
import { Key } from '../parts/Marks';
import { Notice } from '../parts/Notice';

/** What one sees before anything is planned: how to begin. */
export function FirstSite({ mayPlan, onLoad }: { mayPlan: boolean; onLoad: () => void }) {
  if (!mayPlan) return <Notice title="No sites yet" detail="They show here as soon as somebody plans one." />;
  return (
    <Notice title="No sites yet" detail="Begin with the site that ships first.">
      <ol className="pile far">
        <li>
          <Button variant="contained" autoFocus component={Link} to="/new">
            Begin a site by hand
          </Button>{' '}
          or press <Key>N</Key>: a customer, a name, and then the letter of the provider.
        </li>
        <li>
          <Button onClick={onLoad}>Load tables</Button> when there are many:{' '}
          <span className="mono">sites.csv</span>, <span className="mono">circuits.csv</span>,{' '}
          <span className="mono">segments.csv</span> and <span className="mono">hosts.csv</span>, or the
          workbook that is offered above. You see what they make before anything is kept.
        </li>
        <li>
          To look around first, start the demo portfolio in a folder of its own:{' '}
          <span className="mono">octaplan serve --demo --data demo-data --port 8322</span>
        </li>
        <li>
          The <Link to="/guide">guide</Link> tells how the work goes, from the first customer to shipping.
        </li>
      </ol>
    </Notice>
  );
}
