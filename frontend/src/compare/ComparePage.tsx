import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import { useMemo, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import type { Schemas } from '../api/client';
import { useComparison, useHistory, useOutbound } from '../api/queries';
import { Choose } from '../parts/Choose';
import { LinkButton, SelectInline } from '../parts/controls';
import { Heads } from '../parts/Heads';
import { RoleMark, ROLES } from '../parts/Marks';
import { Trouble } from '../parts/Trouble';
import { count, deskPath, moment } from '../parts/words';
import { pictureOf } from '../ruler/geometry';
import { Ruler } from '../ruler/Ruler';
import styles from './compare.module.css';
import { changedMarks, pairsOf, type Half, type Pair } from './pairs';

type Side = Schemas['SideShown'];

/** Two revisions, or two sites: rulers above each other with what differs, and a table of the changes. */
export function ComparePage() {
  const [search, setSearch] = useSearchParams();
  const one = search.get('one') ?? '';
  const other = search.get('other') ?? '';
  const [here, there] = [one, other].map((text) => text.split('@')[0]);
  const sites = here !== there && other !== '';
  const offset = sites && search.get('by') === 'offset';
  const compared = useComparison(one, other, offset);
  const choose = (side: 'one' | 'other' | 'by') => (value: string) => {
    const next = new URLSearchParams(search);
    next.set(side, value);
    setSearch(next, { replace: true });
  };
  return (
    <div className="page">
      <h1 className="sentence">
        Compare <Which label="First" value={one} onChoose={choose('one')} /> with{' '}
        <Which label="Second" value={other} onChoose={choose('other')} />
        {sites && (
          <>
            ,{' '}
            <SelectInline
              aria-label="How they are compared"
              value={offset ? 'offset' : ''}
              onChange={(event) => choose('by')(event.target.value)}
            >
              <option value="">as they are written</option>
              <option value="offset">by offset in each subnet</option>
            </SelectInline>
          </>
        )}
      </h1>
      {compared.error && <Trouble>{compared.error.message}</Trouble>}
      {!other && <p className="quiet">Choose what to compare it with: another site, or a revision.</p>}
      {compared.data && <Compared {...compared.data} offset={offset} />}
    </div>
  );
}

/** A site and one of its revisions, chosen inside a sentence. */
function Which({
  label,
  value,
  onChoose,
}: {
  label: string;
  value: string;
  onChoose: (value: string) => void;
}) {
  const [code = '', number = ''] = value.split('@');
  const [customer = '', site = ''] = code.split('/');
  const outbound = useOutbound();
  const revisions = useHistory({ customer, site }, Number(number || 0), customer !== '' && site !== '');
  const sites = outbound.data?.sites ?? [];
  return (
    <>
      <Choose
        label={`${label} site`}
        value={code}
        of={[
          ...(sites.some((row) => `${row.customer}/${row.site}` === code)
            ? []
            : [{ code, name: code || 'a site' }]),
          ...sites.map((row) => ({ code: `${row.customer}/${row.site}`, name: row.name })),
        ]}
        onChoose={onChoose}
      />
      {code && (
        <>
          {' '}
          <SelectInline
            aria-label={`${label} revision`}
            value={number}
            onChange={(event) => onChoose(event.target.value ? `${code}@${event.target.value}` : code)}
          >
            <option value="">as it is now</option>
            {revisions.data?.map((saved) => (
              <option key={saved.number} value={saved.number}>
                revision {saved.number}
                {saved.name ? ` “${saved.name}”` : ''}, {moment(saved.at)}
              </option>
            ))}
          </SelectInline>
        </>
      )}
    </>
  );
}

function Compared({ one, other, changes, offset }: Schemas['Comparison'] & { offset: boolean }) {
  const [all, setAll] = useState(false);
  const pairs = useMemo(() => pairsOf(one.plan, other.plan), [one, other]);
  const shown = pairs.filter((pair) => all || !pair.same);
  const same = pairs.length - pairs.filter((pair) => !pair.same).length;
  return (
    <div className={`above ${styles.columns}`}>
      <div>
        {shown.map((pair) => (
          <PairRow
            key={pair.one?.id ?? `+${pair.other?.id}`}
            pair={pair}
            names={[nameOf(one), nameOf(other)]}
          />
        ))}
        {same > 0 && (
          <LinkButton aria-expanded={all} onClick={() => setAll(!all)}>
            {all ? 'Leave out what is the same' : `${count(same, 'segment')} the same`}
          </LinkButton>
        )}
      </div>
      <Table className={`card small wide ${styles.changes}`}>
        <caption>
          {changes.length === 0 ? 'Nothing differs' : count(changes.length, 'difference')}
          {offset && (
            <div className="quiet small">
              Addresses as if both lay in the subnets of the first; what every site has of its own (names,
              dates, people, serials, MACs, its addresses on the line) is left out.
            </div>
          )}
        </caption>
        {changes.length > 0 && <Heads of={['What', <SideLink side={one} />, <SideLink side={other} />]} />}
        <TableBody>
          {changes.slice(0, 500).map((change) => (
            <TableRow key={`${change.path} ${change.after}`}>
              <TableCell component="th" scope="row">
                {change.subject} <span className="quiet">{change.field}</span>
              </TableCell>
              <TableCell className="mono">
                {change.field ? change.before || '–' : change.before ? 'is there' : 'is not there'}
              </TableCell>
              <TableCell className="mono">
                {change.field ? change.after || '–' : change.after ? 'is there' : 'is not there'}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </div>
  );
}

function nameOf({ plan, revision, newest }: Side): string {
  return newest ? `${plan.site} now` : `${plan.site} revision ${revision.number}`;
}

function SideLink({ side }: { side: Side }) {
  return <Link to={deskPath(side.plan)}>{nameOf(side)}</Link>;
}

function PairRow({ pair, names }: { pair: Pair; names: [string, string] }) {
  const { one, other } = pair;
  const known = one ?? other;
  if (!known) return null;
  return (
    <section className={`card below ${styles.pair}`} aria-label={`Segment ${known.segment.label}`}>
      <header>
        <RoleMark role={known.segment.role} /> <b>{known.segment.label}</b>
        {one && other && one.segment.label !== other.segment.label && <> → {other.segment.label}</>}
      </header>
      <HalfRow half={one} against={other} name={names[0]} />
      <HalfRow half={other} against={one} name={names[1]} />
    </section>
  );
}

const nobody = () => undefined;

function HalfRow({ half, against, name }: { half: Half | null; against: Half | null; name: string }) {
  const picture = useMemo(() => half && pictureOf(half.segment, half.hosts, []), [half]);
  const changed = useMemo(() => (half ? changedMarks(half, against) : new Set<string>()), [half, against]);
  return (
    <div className={styles.half}>
      <div className={`small ${styles.side}`}>
        <div className="quiet">{name}</div>
        <div className="mono" data-changed={half?.segment.subnet !== against?.segment.subnet}>
          {half ? (half.segment.subnet ?? 'no subnet') : 'not there'}
        </div>
      </div>
      {half && picture && (
        <Ruler
          id={half.id}
          segment={half.segment}
          hosts={half.hosts}
          picture={picture}
          hue={ROLES[half.segment.role].hue}
          lit={null}
          onLight={nobody}
          handling={null}
          changed={changed}
        />
      )}
    </div>
  );
}
