import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import LinearProgress from '@mui/material/LinearProgress';
import { useEffect, useRef, type ReactNode } from 'react';
import type { Preview, Schemas } from '../api/client';
import { useApplyImport, usePreviewImport } from '../api/queries';
import { SeverityMark } from '../parts/Marks';
import { count } from '../parts/words';
import styles from './outbound.module.css';

/** What dropped tables would make, change and not take; then apply, all of it or nothing. */
export function ImportDialog({ files, onClose }: { files: File[]; onClose: () => void }) {
  const preview = usePreviewImport();
  const apply = useApplyImport();
  const { mutate } = preview;
  const asked = useRef<File[]>(null);
  useEffect(() => {
    if (asked.current === files) return;
    asked.current = files;
    mutate(files);
  }, [files, mutate]);
  const found = preview.data;
  const news =
    found?.sites.filter((site) => site.new || site.changes_total > 0 || site.secrets > 0).length ?? 0;
  const error = preview.error ?? apply.error;
  return (
    <Dialog open onClose={onClose} maxWidth="lg" fullWidth aria-labelledby="import-title">
      <DialogTitle id="import-title" sx={{ pb: 1 }}>
        {apply.data ? 'Tables loaded' : 'What these tables would change'}
      </DialogTitle>
      <DialogContent sx={{ minHeight: 220 }}>
        {preview.isPending && <LinearProgress aria-label="Reading the tables" />}
        {error && (
          <p role="alert" style={{ color: 'var(--stop)' }}>
            <SeverityMark of="stop" /> {error.message}. Nothing was changed.
          </p>
        )}
        {apply.data && (
          <p role="status">
            {count(apply.data.sites, 'site')} saved.{' '}
            {found && found.refused_rows > 0 && 'The refused rows below were not taken: save and mend them.'}
          </p>
        )}
        {found && <Found preview={found} applied={apply.data !== undefined} />}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>{apply.data || error ? 'Close' : 'Leave everything as it is'}</Button>
        {found && !apply.data && (
          <Button
            variant="contained"
            disabled={news === 0}
            loading={apply.isPending}
            onClick={() => apply.mutate(found.id)}
          >
            {news === 0 ? 'Nothing to change' : `Load ${count(news, 'site')}`}
          </Button>
        )}
      </DialogActions>
    </Dialog>
  );
}

function Found({ preview, applied }: { preview: Preview; applied: boolean }) {
  const unchanged = preview.sites.filter((site) => !site.new && site.changes_total + site.secrets === 0);
  return (
    <>
      {preview.refused.length > 0 && (
        <Part title={`${count(preview.refused_rows, 'row')} refused`}>
          <p className="quiet">
            Only these rows are left out; the rest is taken. Save them, mend them, load them again:{' '}
            {preview.refused_tables.map((table) => (
              <a
                key={table}
                href={`/api/imports/${preview.id}/refused/${table}.csv`}
                download
                style={{ marginRight: 12 }}
              >
                refused {table}.csv
              </a>
            ))}
          </p>
          <Table
            heads={['File', 'Row', 'Column', 'Cell', 'What is wrong']}
            rows={preview.refused.map((r) => [
              r.file,
              r.row,
              r.column,
              <span className="mono">{r.value}</span>,
              r.problem,
            ])}
          />
        </Part>
      )}
      {preview.corrected.length > 0 && (
        <Part title={`${count(preview.corrected.length, 'cell')} corrected`}>
          <Table
            heads={['File', 'Row', 'Column', 'Cell', 'Taken as']}
            rows={preview.corrected.map((c) => [
              c.file,
              c.row,
              c.column,
              <span className="mono">{c.value}</span>,
              <span className="mono">{c.became}</span>,
            ])}
          />
        </Part>
      )}
      {preview.ignored_columns.length > 0 && (
        <Part title="Columns not known, and not read">
          {preview.ignored_columns.map((ignored) => `${ignored.column} in ${ignored.file}`).join(', ')}
        </Part>
      )}
      {!applied && (
        <Part title="Sites">
          <Table
            heads={['Site', '', 'What changes']}
            rows={preview.sites
              .filter((site) => site.new || site.changes_total > 0 || site.secrets > 0)
              .map((site) => [
                <span>
                  <b>{site.name}</b> <span className="quiet">{`${site.customer}/${site.site}`}</span>
                </span>,
                site.new ? 'new' : 'changed',
                <>
                  {site.new ? sizes(site) : <Changes site={site} />}
                  {site.secrets > 0 && <div>{count(site.secrets, 'PPPoE password')} for the safe</div>}
                </>,
              ])}
          />
          {unchanged.length > 0 && (
            <p className="quiet">{count(unchanged.length, 'site')} in the tables would stay as they are.</p>
          )}
        </Part>
      )}
    </>
  );
}

function sizes(site: Schemas['SiteShown']): string {
  return [count(site.circuits, 'circuit'), count(site.segments, 'segment'), count(site.hosts, 'host')].join(
    ', ',
  );
}

function Changes({ site }: { site: Schemas['SiteShown'] }) {
  return (
    <>
      {site.changes.map((change, index) => (
        <div key={index}>
          {change.subject} {change.field}{' '}
          {change.field && (
            <span className="mono">
              {change.before || 'empty'} → {change.after || 'empty'}
            </span>
          )}
        </div>
      ))}
      {site.changes_total > site.changes.length && (
        <div className="quiet">and {site.changes_total - site.changes.length} more</div>
      )}
    </>
  );
}

function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section style={{ marginBottom: 20 }}>
      <h2 style={{ fontSize: 15, marginBottom: 4 }}>{title}</h2>
      {children}
    </section>
  );
}

function Table({ heads, rows }: { heads: string[]; rows: ReactNode[][] }) {
  return (
    <table className={styles.table}>
      <thead>
        <tr>
          {heads.map((head, index) => (
            <th key={index} scope="col">
              {head}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.slice(0, 500).map((cells, index) => (
          <tr key={index}>
            {cells.map((cell, place) => (
              <td key={place}>{cell}</td>
            ))}
          </tr>
        ))}
        {rows.length > 500 && (
          <tr>
            <td colSpan={heads.length}>and {rows.length - 500} more</td>
          </tr>
        )}
      </tbody>
    </table>
  );
}
