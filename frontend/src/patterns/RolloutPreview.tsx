import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import { Link } from 'react-router';
import { Heads } from '../parts/Heads';
import { SeverityMark } from '../parts/Marks';
import { count, deskPath } from '../parts/words';
import styles from './patterns.module.css';
import type { Rollout } from './queries';

/** What would be made: every site with its run and segments, and what would be found there. */
export function RolloutPreview({
  shown,
  customer,
  made,
}: {
  shown: Rollout;
  customer: string;
  made: boolean;
}) {
  const labels = [...new Set(shown.sites.flatMap((site) => site.segments.map((segment) => segment.label)))];
  return (
    <>
      <h2 className={`line ${styles.sum}`}>
        {shown.stops > 0 ? (
          <>
            <SeverityMark of="stop" size={16} /> {count(shown.stops, 'stop')} would be found
          </>
        ) : (
          <>
            <SeverityMark of="clear" size={16} /> No stop would be found
          </>
        )}
        <span className="quiet">
          {count(shown.sites.length, 'site')}, a /{shown.prefix} each
          {shown.findings_total > shown.stops &&
            `, ${count(shown.findings_total - shown.stops, 'other finding')}`}
        </span>
      </h2>
      {shown.refused.length > 0 && (
        <section aria-label="Rows not taken">
          {shown.refused.map((one) => (
            <p key={`${one.row} ${one.column}`} role="alert">
              <SeverityMark of="stop" size={12} /> Row {one.row}, {one.column}{' '}
              <span className="mono">{one.value}</span>: {one.problem}
            </p>
          ))}
        </section>
      )}
      <div className={`card scroll ${styles.scroll}`}>
        <Table className={styles.made}>
          <Heads of={['Site', 'Run', ...labels, 'Found']} />
          <TableBody>
            {shown.sites.slice(0, 400).map((site) => (
              <TableRow key={site.site}>
                <TableCell component="th" scope="row">
                  {made ? <Link to={deskPath({ customer, site: site.site })}>{site.name}</Link> : site.name}{' '}
                  <span className="quiet">
                    {site.site}
                    {site.new && ', new'}
                  </span>
                </TableCell>
                <TableCell className="mono">{site.run}</TableCell>
                {labels.map((label) => (
                  <TableCell key={label} className="mono">
                    {site.segments.find((segment) => segment.label === label)?.subnet}
                  </TableCell>
                ))}
                <TableCell>
                  {site.stops > 0 && (
                    <>
                      <SeverityMark of="stop" size={12} /> {site.stops}{' '}
                    </>
                  )}
                  {site.warns > 0 && (
                    <>
                      <SeverityMark of="warn" size={12} /> {site.warns}
                    </>
                  )}
                </TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
        {shown.sites.length > 400 && <p className="quiet">and {shown.sites.length - 400} more</p>}
      </div>
      {shown.findings.length > 0 && (
        <section aria-label="What would be found">
          {shown.findings.slice(0, 40).map((one, place) => (
            <p key={place}>
              <SeverityMark of={one.severity} size={12} /> <b>{one.site}</b> {one.message}
            </p>
          ))}
          {shown.findings_total > 40 && <p className="quiet">and {shown.findings_total - 40} more</p>}
        </section>
      )}
    </>
  );
}
