import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import LinearProgress from '@mui/material/LinearProgress';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import type { Preview, Schemas } from '../api/client';
import { useUndoBatch } from '../findings/queries';
import { LinkButton, Tick, Press } from '../parts/controls';
import { Heads } from '../parts/Heads';
import { SeverityMark } from '../parts/Marks';
import { count } from '../parts/words';
import { useImport, type ImportState } from './useImport';

type Site = Schemas['SiteShown'];

/** What dropped tables would make, change and not take; what is chosen of it is loaded, all or nothing. */
export function ImportDialog({ files, onClose }: { files: File[]; onClose: () => void }) {
  const { state, error, busy, begin, apply, cancel } = useImport();
  const undo = useUndoBatch();
  const [chosen, setChosen] = useState<ReadonlyMap<string, boolean>>(new Map());
  const asked = useRef<File[]>(null);
  useEffect(() => {
    if (asked.current === files) return;
    asked.current = files;
    begin(files);
  }, [files, begin]);
  const preview = state?.preview ?? null;
  const loaded = state?.phase === 'loaded';
  const sites = preview?.sites ?? [];
  const taken = (site: Site) => chosen.get(keyOf(site)) ?? site.doubts.length === 0;
  const left = sites.filter((site) => !taken(site)).map(keyOf);
  const news = preview ? preview.new_total + preview.changed_total - left.length : 0;
  const refused = preview?.refused_rows ?? 0;
  const leave = () => {
    if (state && !loaded) void cancel();
    onClose();
  };
  return (
    <Dialog open onClose={leave} maxWidth="lg" fullWidth aria-labelledby="import-title">
      <DialogTitle id="import-title" sx={{ pb: 1 }}>
        {loaded ? 'Tables loaded' : 'What these tables would change'}
      </DialogTitle>
      <DialogContent sx={{ minHeight: 220 }}>
        {busy && <Progress state={state} />}
        {state?.phase === 'cancelled' && (
          <p role="status">Stopped. {state.problem || 'Nothing was changed'}.</p>
        )}
        {error && (
          <p role="alert" style={{ color: 'var(--stop)' }}>
            <SeverityMark of="stop" /> {error}.
          </p>
        )}
        {loaded && (
          <p role="status">
            {undo.data ? (
              <>
                {count(undo.data.undone, 'site')} taken back.
                {undo.data.moved.length > 0 &&
                  ` Left as they are, since they have changed since: ${undo.data.moved.join(', ')}.`}
              </>
            ) : (
              <>{count(state.sites, 'site')} saved. </>
            )}
            {state.batch && !undo.data && (
              <LinkButton disabled={undo.isPending} onClick={() => state.batch && undo.mutate(state.batch)}>
                Undo all of it
              </LinkButton>
            )}{' '}
            {refused > 0 && (
              <>
                {count(refused, 'refused row')} {refused === 1 ? 'waits' : 'wait'} in the{' '}
                <Link to="/imports">inbox</Link> until mended or dismissed.
              </>
            )}
            {undo.error && <span role="alert">{undo.error.message}</span>}
          </p>
        )}
        {preview && (
          <Found
            preview={preview}
            applied={loaded}
            taken={taken}
            onTake={(some, yes) =>
              setChosen(new Map([...chosen, ...some.map((site) => [keyOf(site), yes] as const)]))
            }
          />
        )}
      </DialogContent>
      <DialogActions>
        {busy && <Button onClick={() => void cancel()}>Stop</Button>}
        <Button onClick={leave}>{loaded || error ? 'Close' : 'Leave everything as it is'}</Button>
        {preview && !loaded && (
          <Press
            variant="contained"
            waits={
              (news === 0 && refused === 0) || busy || error !== '' ? 'there is nothing to take yet' : ''
            }
            onClick={() => apply(left)}
          >
            {news > 0
              ? `Load ${count(news, 'site')}`
              : refused > 0
                ? `Keep ${count(refused, 'refused row')} in the inbox`
                : 'Nothing to change'}
          </Press>
        )}
      </DialogActions>
    </Dialog>
  );
}

function keyOf(site: Site): string {
  return `${site.customer}/${site.site}`;
}

function Progress({ state }: { state: ImportState | null }) {
  const share = state && state.total > 0 ? Math.min(100, (100 * state.done) / state.total) : 0;
  const words =
    state?.phase === 'loading'
      ? `${state.done.toLocaleString('en-GB')} of ${count(state.total, 'site')} written`
      : `Reading the tables${share > 0 ? `, ${Math.round(share)} %` : ''}`;
  return (
    <>
      <LinearProgress
        aria-label={words}
        variant={share > 0 ? 'determinate' : 'indeterminate'}
        {...(share > 0 ? { value: share } : {})}
      />
      <p className="quiet">{words}</p>
    </>
  );
}

function Found(props: {
  preview: Preview;
  applied: boolean;
  taken: (site: Site) => boolean;
  onTake: (sites: Site[], yes: boolean) => void;
}) {
  const { preview, applied, taken, onTake } = props;
  const { sites } = preview;
  const more = preview.new_total + preview.changed_total - sites.length;
  return (
    <>
      {preview.refused.length > 0 && (
        <Part title={`${count(preview.refused_rows, 'row')} refused`}>
          <p className="quiet">
            Only these rows are left out; the rest is taken. Save them, mend them, load them again, or mend
            them in the inbox:{' '}
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
          <Listing
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
          <Listing
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
          {sites.length > 1 && (
            <p>
              Take <LinkButton onClick={() => onTake(sites, true)}>all</LinkButton>,{' '}
              <LinkButton onClick={() => onTake(sites, false)}>none</LinkButton>,{' '}
              <LinkButton
                onClick={() => {
                  onTake(sites, false);
                  onTake(
                    sites.filter((site) => site.new && site.doubts.length === 0),
                    true,
                  );
                }}
              >
                only new ones
              </LinkButton>
              , or choose one by one.
            </p>
          )}
          <Listing
            heads={['Take', 'Site', '', 'What changes']}
            rows={sites.map((site) => [
              <Tick
                aria-label={`Take ${keyOf(site)}`}
                checked={taken(site)}
                onChange={(event) => onTake([site], event.target.checked)}
              />,
              <span>
                <b>{site.name}</b> <span className="quiet">{keyOf(site)}</span>
              </span>,
              site.new ? 'new' : 'changed',
              <>
                {site.doubts.map((doubt) => (
                  <div key={doubt} role="alert">
                    <SeverityMark of="warn" size={12} /> {doubt}.
                    {!taken(site) && ' Left out until you take it.'}
                  </div>
                ))}
                {site.new ? sizes(site) : <Changes site={site} />}
                {site.secrets > 0 && <div>{count(site.secrets, 'PPPoE password')} for the safe</div>}
              </>,
            ])}
          />
          {more > 0 && <p className="quiet">and {count(more, 'site')} more, all of which are taken.</p>}
          {preview.unchanged_total > 0 && (
            <p className="quiet">
              {count(preview.unchanged_total, 'site')} in the tables would stay as{' '}
              {preview.unchanged_total === 1 ? 'it is' : 'they are'}.
            </p>
          )}
        </Part>
      )}
    </>
  );
}

function sizes(site: Site): string {
  return [count(site.circuits, 'circuit'), count(site.segments, 'segment'), count(site.hosts, 'host')].join(
    ', ',
  );
}

function Changes({ site }: { site: Site }) {
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

function Listing({ heads, rows }: { heads: string[]; rows: ReactNode[][] }) {
  return (
    <Table>
      <Heads of={heads} />
      <TableBody>
        {rows.slice(0, 500).map((cells, index) => (
          <TableRow key={index}>
            {cells.map((cell, place) => (
              <TableCell key={place}>{cell}</TableCell>
            ))}
          </TableRow>
        ))}
        {rows.length > 500 && (
          <TableRow>
            <TableCell colSpan={heads.length}>and {rows.length - 500} more</TableCell>
          </TableRow>
        )}
      </TableBody>
    </Table>
  );
}
