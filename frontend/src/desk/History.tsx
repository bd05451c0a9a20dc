import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import Popover from '@mui/material/Popover';
import { useState } from 'react';
import { Link } from 'react-router';
import { useComparison, useHistory, useNameRevision, useStep } from '../api/queries';
import { usePersonHere } from '../frame/person';
import { Line, LinkButton } from '../parts/controls';
import { useKeys } from '../parts/useKeys';
import { count, moment } from '../parts/words';
import { useDeskState, useDrafting } from './context';
import styles from './desk.module.css';

/** Undo and redo of the site's changes, by button and by key; what somebody else did is asked about first. */
const KEYS: Partial<Record<string, 'undo' | 'redo'>> = {
  'ctrl+z': 'undo',
  'ctrl+y': 'redo',
  'ctrl+shift+z': 'redo',
  'ctrl+shift+y': 'redo',
};

export function UndoRedo() {
  const { name, desk, mayPlan } = useDeskState();
  const step = useStep(name);
  const person = usePersonHere();
  const [asking, setAsking] = useState(false);
  const { undo, redo, revision } = desk;
  const { drafting } = useDrafting();
  const foreign = revision.account ? revision.account !== person.name : revision.by !== person.full_name;
  const take = (which: 'undo' | 'redo', sure = false) => {
    if (step.isPending) return;
    if (which === 'undo' && foreign && !sure) setAsking(true);
    else step.mutate({ step: which });
  };
  useKeys((pressed) => {
    const wanted = KEYS[pressed];
    if (!mayPlan || !wanted) return false;
    if (wanted === 'redo' ? redo : (undo ?? drafting)) take(wanted);
    return true;
  });
  if (!mayPlan) return null;
  return (
    <>
      <LinkButton disabled={undo === null || step.isPending} onClick={() => take('undo')}>
        Undo
      </LinkButton>{' '}
      ·{' '}
      <LinkButton disabled={redo === null || step.isPending} onClick={() => take('redo')}>
        Redo
      </LinkButton>{' '}
      ·{' '}
      {step.error && (
        <div role="alert" className="bad below">
          {step.error.message}
        </div>
      )}
      <Dialog open={asking} onClose={() => setAsking(false)}>
        <DialogTitle>Take back what {revision.by} did?</DialogTitle>
        <DialogContent>
          Revision {revision.number}, {moment(revision.at)}: {revision.sentence}
        </DialogContent>
        <DialogActions>
          <Button onClick={() => setAsking(false)}>Leave it</Button>
          <Button
            variant="contained"
            autoFocus
            onClick={() => {
              setAsking(false);
              take('undo', true);
            }}
          >
            Take it back
          </Button>
        </DialogActions>
      </Dialog>
    </>
  );
}

/** All revisions of a site: named, compared with what is now, taken again. */
export function History() {
  const { name, desk, mayPlan } = useDeskState();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const history = useHistory(name, desk.revision.number, anchor !== null);
  const step = useStep(name);
  const [back, setBack] = useState<number | null>(null);
  const code = `${desk.plan.customer}/${desk.plan.site}`;
  return (
    <>
      <LinkButton aria-haspopup="dialog" onClick={(event) => setAnchor(event.currentTarget)}>
        {count(desk.revision.number, 'revision')}
      </LinkButton>
      <Popover
        anchorEl={anchor}
        open={anchor !== null}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }}
        transformOrigin={{ vertical: 'top', horizontal: 'right' }}
        slotProps={{ paper: { role: 'dialog', 'aria-label': 'History' } }}
      >
        <div style={{ width: 560, padding: '12px 16px 0' }}>
          <Link to={`/compare?one=${code}&other=`} onClick={() => setAnchor(null)}>
            Compare with another site
          </Link>
        </div>
        <ol className={styles.history} aria-label="Revisions, newest first">
          {history.error && <li role="alert">{history.error.message}</li>}
          {step.error && <li role="alert">{step.error.message}</li>}
          {history.data?.map((saved) => (
            <li key={saved.number} className="line top below">
              <b className={`right ${styles.number}`}>{saved.number}</b>
              <div>
                {saved.name && <b>{saved.name} · </b>}
                {saved.sentence}
                <div className="quiet">
                  <span title={saved.account && `signs in as ${saved.account}`}>{saved.by}</span>,{' '}
                  {moment(saved.at)}
                </div>
                <div className="line small">
                  {saved.number !== desk.revision.number && (
                    <>
                      <Link to={`/compare?one=${code}@${saved.number}&other=${code}`}>Compare with now</Link>
                      {mayPlan && (
                        <LinkButton disabled={step.isPending} onClick={() => setBack(saved.number)}>
                          Go back to it
                        </LinkButton>
                      )}
                    </>
                  )}
                  {mayPlan && <NameIt number={saved.number} name={saved.name ?? ''} />}
                </div>
              </div>
            </li>
          ))}
        </ol>
      </Popover>
      {back !== null && (
        <GoingBack
          code={code}
          number={back}
          onClose={() => setBack(null)}
          onGo={() => {
            setBack(null);
            step.mutate({ step: back });
          }}
        />
      )}
    </>
  );
}

/** So many changes are told one by one. */
const TOLD = 12;

/** What going back to a revision would change, before it is done. */
function GoingBack(props: { code: string; number: number; onClose: () => void; onGo: () => void }) {
  const { code, number, onClose, onGo } = props;
  const compared = useComparison(code, `${code}@${number}`);
  const changes = compared.data?.changes ?? [];
  return (
    <Dialog open onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle>Back to revision {number}?</DialogTitle>
      <DialogContent>
        {compared.error && <div role="alert">{compared.error.message}</div>}
        {compared.data && (
          <p role="status" style={{ marginTop: 0 }}>
            {changes.length === 0
              ? 'It says what the plan says now.'
              : `It changes ${count(changes.length, 'value')}:`}
          </p>
        )}
        <ul className="rows">
          {changes.slice(0, TOLD).map((change) => (
            <li key={`${change.path} ${change.after}`}>
              <span>
                {change.subject} {change.field}{' '}
                <span className="mono">
                  {change.field
                    ? `${change.before || 'empty'} → ${change.after || 'empty'}`
                    : change.after
                      ? 'comes back'
                      : 'goes'}
                </span>
              </span>
            </li>
          ))}
        </ul>
        {changes.length > TOLD && <p className="quiet">and {changes.length - TOLD} more</p>}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave it</Button>
        <Button
          variant="contained"
          autoFocus
          disabled={!compared.data || changes.length === 0}
          onClick={onGo}
        >
          Go back to it
        </Button>
      </DialogActions>
    </Dialog>
  );
}

function NameIt({ number, name }: { number: number; name: string }) {
  const { name: site } = useDeskState();
  const naming = useNameRevision(site);
  const [text, setText] = useState<string | null>(null);
  if (text === null) {
    return <LinkButton onClick={() => setText(name)}>{name ? 'Rename' : 'Name it'}</LinkButton>;
  }
  return (
    <form
      style={{ display: 'inline-flex', gap: 6 }}
      onSubmit={(event) => {
        event.preventDefault();
        naming.mutate({ number, name: text }, { onSuccess: () => setText(null) });
      }}
    >
      <Line
        autoFocus
        aria-label={`Name of revision ${number}`}
        value={text}
        maxLength={80}
        onChange={(event) => setText(event.target.value)}
      />
      <LinkButton type="submit">Save</LinkButton>
      {naming.error && <span role="alert">{naming.error.message}</span>}
    </form>
  );
}
