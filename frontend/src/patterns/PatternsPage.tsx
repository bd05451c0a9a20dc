import Button from '@mui/material/Button';
import { useState } from 'react';
import { Link } from 'react-router';
import { useMay } from '../frame/person';
import { Notice } from '../parts/Notice';
import { count } from '../parts/words';
import { Layout } from './Layout';
import { MakePattern } from './MakePattern';
import styles from './patterns.module.css';
import { usePatterns } from './queries';

/** Layouts of segments for a kind of site. */
export function PatternsPage() {
  const patterns = usePatterns();
  const mayPlan = useMay('plan');
  const [making, setMaking] = useState(false);
  if (patterns.error) return <Notice title="Patterns cannot be shown" detail={patterns.error.message} />;
  if (!patterns.data) return null;
  return (
    <div className="page">
      <div className="line far below">
        <h1 style={{ fontSize: 18 }}>{count(patterns.data.length, 'pattern')}</h1>
        <span className="end" />
        {mayPlan && (
          <>
            <Link to="/rollout">Many sites at once</Link>
            <Button variant="contained" onClick={() => setMaking(true)}>
              New pattern
            </Button>
          </>
        )}
      </div>
      {patterns.data.map((pattern) => (
        <Link key={pattern.key} to={`/patterns/${pattern.key}`} className={`card below ${styles.pattern}`}>
          <div>
            <b>{pattern.name}</b>
            <div className="quiet">
              {pattern.version === 0 ? 'no version yet' : `version ${pattern.version}`}
              {pattern.version > 0 && pattern.edited && ', edited since'}
            </div>
            <div className="quiet">
              {pattern.sites === 0 ? 'no site made from it' : count(pattern.sites, 'site')}
              {pattern.behind > 0 && `, ${pattern.behind} with an older version`}
            </div>
          </div>
          <Layout segments={pattern.segments} />
        </Link>
      ))}
      {patterns.data.length === 0 && (
        <Notice
          title="No patterns yet"
          detail="Draw the segments of one kind of site once, on rulers, then make every shop, branch or school of that kind from it. A site that you have planned already makes a good beginning."
        />
      )}
      {making && <MakePattern onClose={() => setMaking(false)} />}
    </div>
  );
}
