import { memo, useMemo } from 'react';
import type { Finding, Host, Segment } from '../../api/client';
import { fieldOf } from '../../parts/fields';
import { RoleMark, ROLES, SeverityMark } from '../../parts/Marks';
import { PlanFields } from '../../parts/PlanFields';
import { TypedField } from '../../parts/TypedField';
import { count } from '../../parts/words';
import { parse, short, subnet } from '../../ruler/addresses';
import { pictureOf, type SegmentPicture } from '../../ruler/geometry';
import { Ruler } from '../../ruler/Ruler';
import { sixOperations, sixSide } from '../../ruler/six';
import type { Handling } from '../../ruler/useHandling';
import { useDeskState, useLight, useSteps } from '../context';
import styles from './addresses.module.css';
import { sameFindings, sameHosts } from './edits';
import { HostTable } from './HostTable';
import type { Asked } from './PlacePopover';
import type { Proposal } from './Proposed';
import { SegmentActions } from './SegmentActions';

interface RowProps {
  id: string;
  /** The segment and its hosts as they are drawn, which may be a draft. */
  segment: Segment;
  hosts: [string, Host][];
  findings: Finding[];
  open: boolean;
  onToggle: (id: string) => void;
  onAsk: (asked: Asked) => void;
  onProposal: (proposal: Proposal) => void;
}

/** One segment: its exact facts at the left, its ruler, and opened in place its values and hosts. */
export const SegmentRow = memo(SegmentRowDrawn, sameRow);

function sameRow(a: RowProps, b: RowProps): boolean {
  return (
    a.segment === b.segment &&
    a.open === b.open &&
    a.onToggle === b.onToggle &&
    sameHosts(a.hosts, b.hosts) &&
    sameFindings(a.findings, b.findings)
  );
}

function SegmentRowDrawn(props: RowProps) {
  const { id, segment, hosts, findings, open, onToggle, onAsk, onProposal } = props;
  const { desk, mayPlan } = useDeskState();
  const { lit, light } = useLight();
  const { show, keep, drop, revision } = useSteps();
  const path = `/segments/${id}`;
  const picture = useMemo(() => pictureOf(segment, hosts, findings), [segment, hosts, findings]);
  const stopped = findings.some((finding) => finding.severity === 'stop');
  const handling = useMemo<Handling | null>(
    () =>
      mayPlan
        ? {
            show,
            keep,
            drop,
            revision,
            place: (value, at) => onAsk({ segment: id, value, at }),
            type: (mark, at) => onAsk({ segment: id, mark, at }),
          }
        : null,
    [mayPlan, show, keep, drop, revision, onAsk, id],
  );
  const saved = desk.plan.segments[id];
  return (
    <section
      className={`${styles.segment} ${lit === path ? 'lit' : ''}`}
      data-path={path}
      aria-label={`Segment ${segment.label}`}
    >
      <div className={styles.side}>
        <div className="line near">
          <button className="toggle line wide" aria-expanded={open} onClick={() => onToggle(id)}>
            <RoleMark role={segment.role} />
            <b className="clip" title={segment.label}>
              {segment.label}
            </b>
            <span className={`quiet small ${styles.facts}`} style={{ whiteSpace: 'nowrap' }}>
              {segment.vlan === null ? 'no VLAN' : `VLAN ${segment.vlan}`}
            </span>
          </button>
          {mayPlan && saved && <SegmentActions id={id} segment={saved} onProposal={onProposal} />}
        </div>
        <div className="line apart">
          <span className="mono">{segment.subnet ?? 'no subnet yet'}</span>
          {stopped && <SeverityMark of="stop" />}
        </div>
        <div className={`quiet small ${styles.facts}`}>
          gateway <span className="mono">{gatewayText(segment, picture)}</span>
        </div>
        {segment.subnet6 && (
          <div className={`quiet small ${styles.facts}`}>
            <span className="mono">{segment.subnet6}</span>
          </div>
        )}
        {picture && <div className={`quiet small ${styles.facts}`}>{countsText(segment, picture)}</div>}
      </div>
      {picture ? (
        <Ruler
          id={id}
          segment={segment}
          hosts={hosts}
          picture={picture}
          hue={ROLES[segment.role].hue}
          lit={lit}
          onLight={light}
          handling={handling}
        />
      ) : (
        <p className="quiet" style={{ padding: '16px 24px' }}>
          Open it and give it a subnet, such as 10.40.8.0/24: then it can be drawn and checked.
        </p>
      )}
      {open && <SixRuler {...props} />}
      {open && saved && <SegmentDetail id={id} segment={saved} />}
    </section>
  );
}

/** The IPv6 side of a segment that has an IPv4 side too, with the same hands. */
function SixRuler({ id, segment, hosts, findings, onAsk }: RowProps) {
  const { mayPlan } = useDeskState();
  const { lit, light } = useLight();
  const { show, keep, drop, revision } = useSteps();
  const six = useMemo(() => sixSide(segment, hosts), [segment, hosts]);
  const picture = useMemo(() => six && pictureOf(six.segment, six.hosts, findings), [six, findings]);
  const handling = useMemo<Handling | null>(
    () =>
      mayPlan
        ? {
            show: (operations) => show(sixOperations(operations)),
            keep: (operations, on) => keep(sixOperations(operations), on),
            drop,
            revision,
            place: (value, at) => onAsk({ segment: id, second: true, value, at }),
            type: (mark, at) => onAsk({ segment: id, second: true, mark, at }),
          }
        : null,
    [mayPlan, show, keep, drop, revision, onAsk, id],
  );
  if (!six || !picture) return null;
  return (
    <>
      <div className={styles.side}>
        <div className="mono">{segment.subnet6}</div>
        <div className={`quiet small ${styles.facts}`}>
          gateway <span className="mono">{gatewayText(six.segment, picture)}</span>
        </div>
        <div className={`quiet small ${styles.facts}`}>{countsText(six.segment, picture)}</div>
      </div>
      <Ruler
        id={id}
        segment={six.segment}
        hosts={six.hosts}
        picture={picture}
        hue={ROLES[segment.role].hue}
        lit={lit}
        onLight={light}
        handling={handling}
      />
    </>
  );
}

function gatewayText(segment: Segment, picture: SegmentPicture | undefined): string {
  const gateway = parse(segment.gateway);
  if (!gateway) return 'none';
  return picture?.gateway === gateway.value ? short(gateway.value, picture.net) : (segment.gateway ?? 'none');
}

function countsText(segment: Segment, { fixed, leased, free, net }: SegmentPicture): string {
  if (net.family === 6)
    return `${fixed} fixed${leased > 0n ? ` · ${count(leased, 'address', 'addresses')} leased` : ''}`;
  const many = (number: bigint) => number.toLocaleString('en-GB');
  const range = segment.scope.server === 'none' || leased === 0n ? 'no range' : `${many(leased)} leased`;
  return `${fixed} fixed · ${range} · ${many(free)} free`;
}

/** First to last as one would type it, short enough for a field. */
function rangeText({ subnet: text, scope: { first, last } }: Segment): string {
  if (!first || !last) return '';
  const [net, end] = [subnet(text), parse(last)];
  const near = net && end && end.value >= net.first && end.value <= net.last;
  return `${first} - ${near ? short(end.value, net) : last}`;
}

function SegmentDetail({ id, segment }: { id: string; segment: Segment }) {
  const path = `/segments/${id}`;
  const usual = segment.role === 'guest' ? 'local, as guests are' : 'group, as usual';
  return (
    <div className={styles.detail}>
      <div className="fields">
        <PlanFields
          kind="segments"
          path={path}
          member={segment}
          choices={{ reach: [['', usual], ...fieldOf('segments', 'reach').choices] }}
          before={{
            'scope/excluded': (
              <TypedField
                path={`${path}/scope`}
                label="DHCP range"
                value={rangeText(segment)}
                hint="leave 20 or 40 clients"
              />
            ),
          }}
        />
      </div>
      <HostTable id={id} segment={segment} />
    </div>
  );
}
