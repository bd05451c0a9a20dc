import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { Fragment, useRef, useState } from 'react';
import { Link, useNavigate } from 'react-router';
import type { Finding, Schemas } from '../api/client';
import { useAccept, useRemedies, useWithdraw } from '../api/queries';
import { ClashChoice } from '../parts/ClashChoice';
import { LinkButton, Press } from '../parts/controls';
import { SeverityMark } from '../parts/Marks';
import { Trouble } from '../parts/Trouble';
import { useKeys } from '../parts/useKeys';
import { count, deskPath, PATTERNS } from '../parts/words';
import { useDeskState, useDrafting, useFound, useLight } from './context';
import styles from './desk.module.css';
import { KeyHints } from './DeskHeader';
import { placeOf } from './places';

/** How many findings of one rule are told one by one before the rest is folded. */
const ALIKE = 4;

const GROUPS = ['stop', 'warn', 'note'] as const;

/** What was found about the site, always in sight: worst first, with what can be done about it. */
export function FindingsRail() {
  const { name, desk } = useDeskState();
  const rail = useRef<HTMLElement>(null);
  const [opened, setOpened] = useState<ReadonlySet<string>>(new Set());
  const { summary } = desk;
  const pattern = name.customer === PATTERNS;
  const { findings, drafting, after } = useFound();
  const navigate = useNavigate();
  const go = (finding: Finding) => void navigate(placeOf(name, finding));
  const remedies = useRemedies(name, desk);
  const offered = new Map(
    desk.findings.map((finding, place) => [finding.identity, remedies.data?.[place] ?? []]),
  );
  const staying = after && new Set(after.map(troubleOf));
  const had = new Set(desk.findings.map(troubleOf));
  const fresh = after ? after.filter((finding) => !had.has(troubleOf(finding))) : [];
  const ended = staying ? desk.findings.filter((finding) => !staying.has(troubleOf(finding))).length : 0;

  useKeys((pressed) => {
    if (pressed === 'r' || pressed === 'a') {
      const one = document.activeElement?.closest('[data-one]');
      one?.querySelector<HTMLElement>(`[data-key="${pressed}"]`)?.click();
      return Boolean(one);
    }
    if (pressed !== 'j' && pressed !== 'k') return false;
    const buttons = [...(rail.current?.querySelectorAll<HTMLElement>('button[data-finding]') ?? [])];
    const here = buttons.indexOf(document.activeElement as HTMLElement);
    const next = here < 0 ? 0 : here + (pressed === 'j' ? 1 : -1);
    buttons[Math.min(buttons.length - 1, Math.max(0, next))]?.focus();
    return true;
  });

  const open = findings.filter((finding) => !finding.acceptance);
  const accepted = findings.filter((finding) => finding.acceptance);
  const empty = open.filter(isUnfilled);
  return (
    <aside className={`scroll ${styles.rail}`} ref={rail} aria-label="Findings">
      <Verdict />
      <Problem />
      <div className="quiet small clip" role="status">
        {after
          ? `this would end ${count(ended, 'finding')}${fresh.length ? ` and bring ${fresh.length}` : ''}`
          : drafting
            ? 'not saved yet'
            : pattern
              ? 'drawn on example addresses'
              : `checked against ${count(desk.checked_sites - 1, 'other site')}`}
      </div>
      {GROUPS.map((severity) => {
        const group = open.filter((finding) => finding.severity === severity);
        return group.length === 0 ? null : (
          <section key={severity} aria-label={count(group.length, severity)}>
            <h3 className={`quiet small bold ${styles.group}`}>{count(group.length, severity)}</h3>
            {group.map((finding, place) => {
              if (isUnfilled(finding) && empty.length > 2) return null;
              const alike = group.filter((other) => other.rule === finding.rule);
              const hidden = alike.length > ALIKE + 1 && !opened.has(finding.rule);
              if (hidden && alike.indexOf(finding) >= ALIKE) return null;
              return (
                <Fragment key={`${finding.identity} ${place}`}>
                  <OneFinding
                    finding={finding}
                    remedies={drafting ? [] : (offered.get(finding.identity) ?? [])}
                    going={staying !== null && !staying.has(troubleOf(finding))}
                    onGo={go}
                  />
                  {hidden && alike[ALIKE - 1] === finding && (
                    <LinkButton
                      className={styles.fold}
                      onClick={() => setOpened(new Set([...opened, finding.rule]))}
                    >
                      {alike.length - ALIKE} more of “{finding.title}”
                    </LinkButton>
                  )}
                </Fragment>
              );
            })}
            {severity === 'stop' && empty.length > 2 && <EmptySlots findings={empty} onGo={go} />}
          </section>
        );
      })}
      {fresh.length > 0 && (
        <section aria-label="What it would bring">
          <h3 className={`quiet small bold ${styles.group}`}>It would bring</h3>
          {fresh.slice(0, 6).map((finding) => (
            <p key={finding.identity} className={styles.fresh}>
              <SeverityMark of={finding.severity} size={12} /> {finding.message}
            </p>
          ))}
          {fresh.length > 6 && <p className={styles.fresh}>and {fresh.length - 6} more</p>}
        </section>
      )}
      {accepted.length > 0 && (
        <section aria-label="Accepted">
          <h3 className={`quiet small bold ${styles.group}`}>{accepted.length} accepted</h3>
          {accepted.map((finding) => (
            <Accepted key={finding.acceptance} finding={finding} />
          ))}
        </section>
      )}
      {summary.clear && (
        <p>
          <Link to={deskPath(name, summary.shipped ? 'handover' : 'bench')}>
            {summary.shipped ? 'See the sheets' : 'Go to the bench'}
          </Link>
        </p>
      )}
      {!pattern && <KeyHints />}
    </aside>
  );
}

/** What is wrong where, whatever the addresses and masks it speaks of at the moment. */
function troubleOf({ rule, path, field, addresses }: Finding): string {
  return rule === 'overlap-address' ? `${rule} ${addresses}` : `${rule} ${path} ${field}`;
}

/** Whether something is only still to be filled. */
function isUnfilled(finding: Finding): boolean {
  return finding.traits.includes('unfilled');
}

/** Secrets that are missing all read alike: more than two are told together. */
function EmptySlots({ findings, onGo }: { findings: Finding[]; onGo: (finding: Finding) => void }) {
  const owners = [...new Set(findings.map((finding) => finding.owner))];
  return (
    <div style={{ ['--severity' as string]: 'var(--stop)' }}>
      <button
        className={styles.finding}
        data-finding={findings[0]?.rule}
        onClick={() => findings[0] && onGo(findings[0])}
      >
        <b>Secrets not in the safe</b>
        <br />
        {findings.length} secrets of {owners.slice(0, 3).join(', ')}
        {owners.length > 3 && ` and ${owners.length - 3} more`} are not in the safe yet: make them on
        Credentials.
      </button>
      <div className={`below ${styles.actions}`} />
    </div>
  );
}

function Verdict() {
  const { desk } = useDeskState();
  const { findings, drafting } = useFound();
  const left = (severity: Finding['severity']) =>
    findings.filter((finding) => finding.severity === severity && !finding.acceptance).length;
  const [stops, warns] = [left('stop'), left('warn')];
  if (desk.summary.clear && !drafting) {
    return (
      <h2 className="line" style={{ color: 'var(--clear)' }}>
        <SeverityMark of="clear" size={18} /> Clear to ship
      </h2>
    );
  }
  if (desk.blank) return <h2>Nothing planned yet</h2>;
  if (stops + warns === 0) {
    return (
      <h2 className="line">
        <SeverityMark of="clear" size={18} /> No stop, no open warn
      </h2>
    );
  }
  return (
    <h2 className="line">
      <SeverityMark of={stops > 0 ? 'stop' : 'warn'} size={18} />
      {stops > 0
        ? `${count(stops, 'stop')} ${desk.plan.customer === PATTERNS ? 'in the pattern' : 'before it can ship'}`
        : `${count(warns, 'warn')} to decide`}
    </h2>
  );
}

function OneFinding(props: {
  finding: Finding;
  going: boolean;
  remedies: Schemas['RemedyShown'][];
  onGo: (finding: Finding) => void;
}) {
  const { finding, remedies, going, onGo } = props;
  const { mayPlan } = useDeskState();
  const { light } = useLight();
  const on = () => light(finding.path);
  const off = () => light(null);
  return (
    <div
      data-one
      data-going={going}
      className={styles.one}
      style={{ ['--severity' as string]: `var(--${finding.severity})` }}
      onMouseEnter={on}
      onMouseLeave={off}
    >
      <button
        className={styles.finding}
        data-finding={finding.rule}
        onFocus={on}
        onBlur={off}
        onClick={() => onGo(finding)}
      >
        <b>{finding.title}</b>
        <br />
        {finding.message}
      </button>
      <div className={`below ${styles.actions}`}>
        {mayPlan && remedies.length > 0 && <Remedies remedies={remedies} />}
        {finding.severity === 'warn' && mayPlan && <AcceptWarn finding={finding} />}
        <Elsewhere finding={finding} />
        <Link to={`/rules#${finding.rule}`} className="quiet small">
          why
        </Link>
      </div>
    </div>
  );
}

/** What the finding offers: the first as a button, the others behind it. Each is one click and one revision. */
function Remedies({ remedies }: { remedies: Schemas['RemedyShown'][] }) {
  const { show, keep, drop } = useDrafting();
  const [more, setMore] = useState(false);
  return (
    <>
      <div className="pile near start">
        {remedies.slice(0, more ? undefined : 1).map((remedy, place) => (
          <button
            key={remedy.sentence}
            className={`small ${styles.remedy}`}
            {...(place === 0 ? { 'data-key': 'r' } : {})}
            onMouseEnter={() => show(remedy.operations, true)}
            onMouseLeave={drop}
            onFocus={() => show(remedy.operations, true)}
            onBlur={drop}
            onClick={() => keep(remedy.operations)}
          >
            {remedy.sentence}
          </button>
        ))}
      </div>
      {!more && remedies.length > 1 && (
        <LinkButton className={`small ${styles.more}`} onClick={() => setMore(true)}>
          {remedies.length === 2 ? 'or another way' : `or ${remedies.length - 1} other ways`}
        </LinkButton>
      )}
    </>
  );
}

/** What became of a change that was refused. */
function Problem() {
  const { problem, clashing, settle } = useDrafting();
  if (clashing) return <ClashChoice failure={clashing.failure} onChoose={settle} />;
  return problem ? <Trouble>{problem}</Trouble> : null;
}

/** Links to the other sites that have part in a finding. */
function Elsewhere({ finding }: { finding: Finding }) {
  const { desk } = useDeskState();
  const sites = new Map(
    finding.others
      .filter((other) => other.customer !== desk.plan.customer || other.site !== desk.plan.site)
      .map((other) => [`${other.customer}/${other.site}`, other]),
  );
  return [...sites].slice(0, 3).map(([code, other]) => (
    <Link key={code} to={deskPath(other)} style={{ marginRight: 12, fontSize: 13 }}>
      Open {code}
    </Link>
  ));
}

export function AcceptWarn({ finding }: { finding: Finding }) {
  const { name } = useDeskState();
  const accept = useAccept(name);
  const [reason, setReason] = useState<string | null>(null);
  if (reason === null) {
    return (
      <Button variant="outlined" data-key="a" sx={{ mr: 1.5, py: 0 }} onClick={() => setReason('')}>
        Accept…
      </Button>
    );
  }
  return (
    <form
      style={{ display: 'grid', gap: 6, margin: '4px 0' }}
      onSubmit={(event) => {
        event.preventDefault();
        const { rule, path, addresses } = finding;
        accept.mutate({ rule, path, addresses, reason });
      }}
      onKeyDown={(event) => event.key === 'Escape' && setReason(null)}
    >
      <TextField
        autoFocus
        multiline
        label="Why it is accepted"
        value={reason}
        error={accept.isError}
        helperText={accept.error?.message}
        onChange={(event) => setReason(event.target.value)}
        onKeyDown={(event) => {
          if (event.key !== 'Enter' || event.shiftKey) return; // with Shift it is a line of the reason
          event.preventDefault();
          if (reason.trim().length >= 3) event.currentTarget.closest('form')?.requestSubmit();
        }}
        slotProps={{ htmlInput: { maxLength: 400 } }}
      />
      <div>
        <Press
          type="submit"
          variant="contained"
          waits={reason.trim().length < 3 ? 'write why, in a few words' : ''}
          loading={accept.isPending}
        >
          Accept
        </Press>
        <Button onClick={() => setReason(null)}>Leave it open</Button>
      </div>
    </form>
  );
}

export function Accepted({ finding }: { finding: Finding }) {
  const { name, mayPlan } = useDeskState();
  const withdraw = useWithdraw(name);
  return (
    <div style={{ borderLeft: '3px solid var(--line)', padding: '2px 0 2px 10px', marginBottom: 12 }}>
      <b>{finding.title}</b> <span className="mono">{finding.addresses}</span>
      <div className="quiet">
        {finding.accepted_by}: {finding.reason}
      </div>
      {mayPlan && finding.acceptance && (
        <LinkButton onClick={() => finding.acceptance && withdraw.mutate(finding.acceptance)}>
          Take back
        </LinkButton>
      )}
      {withdraw.error && <div role="alert">{withdraw.error.message}</div>}
    </div>
  );
}
