import Button from '@mui/material/Button';
import { useState } from 'react';
import { Link } from 'react-router';
import type { Circuit } from '../../api/client';
import { Line, LinkButton, Tick } from '../../parts/controls';
import { Trouble } from '../../parts/Trouble';
import { count, deskPath } from '../../parts/words';
import { LetterDialog } from '../letters/LetterDialog';
import { useDeskState } from '../context';
import { TakeOver } from '../text/TakeOver';
import styles from './intake.module.css';
import { useIntake, type Question } from './queries';
import { QuestionRow } from './QuestionRow';
import { Survivors } from './Survivors';

/** Who tells the answers of a group, and whether they are confirmed by it. */
interface Told {
  source: string;
  confirmed: boolean;
}

const UNTOLD: Told = { source: '', confirmed: false };

interface Group {
  id: string;
  title: string;
  /** Whom one asks, in words. */
  whom: string;
  circuit?: [string, Circuit];
  questions: Question[];
}

/** What must be known before the site can be planned: questions, by whom to ask, in the order one asks them. */
export function IntakePage() {
  const { name, desk: state, mayPlan } = useDeskState();
  const { plan, revision } = state;
  const intake = useIntake(name, revision.number);
  const [told, setTold] = useState<Record<string, Told>>({});
  const [taking, setTaking] = useState(false);
  const [letter, setLetter] = useState<[string, Circuit] | null>(null);
  if (intake.error) return <Trouble>{intake.error.message}</Trouble>;
  if (!intake.data) return null;
  const { questions, candidates } = intake.data;
  const groups = grouped(questions, plan.circuits);
  const first = Object.entries(plan.circuits)[0];
  const left = questions.filter((question) => question.state === 'open').length;
  return (
    <>
      <div className="line far below">
        <h2 role="status">
          {left === 0 ? 'Everything is answered' : `${count(left, 'question')} of ${questions.length} open`}
        </h2>
        <div className={styles.ways}>
          <Link to={`/questions?customer=${encodeURIComponent(plan.customer)}`}>Lists to send</Link>
          {mayPlan && <LinkButton onClick={() => setTaking(true)}>Take over a box’s text…</LinkButton>}
        </div>
      </div>
      {mayPlan && state.blank && first && (
        <div className="card part below" role="note">
          Begin here: <b>paste</b> what the provider wrote about the line, or answer the first question.{' '}
          <Button variant="contained" onClick={() => setLetter(first)}>
            Paste the provider’s letter
          </Button>
        </div>
      )}
      {groups.map((group) => (
        <section key={group.id} className={`card part below ${styles.group}`} aria-label={group.title}>
          <h3>
            {group.title}
            <span className="quiet">{openWords(group.questions)}</span>
            {mayPlan && (
              <ToldBy
                group={group}
                told={told[group.id] ?? UNTOLD}
                onChange={(now) => setTold({ ...told, [group.id]: now })}
              />
            )}
            {group.circuit && mayPlan && (
              <Button onClick={() => setLetter(group.circuit ?? null)}>Paste what they wrote</Button>
            )}
          </h3>
          {group.questions.map((question) => (
            <QuestionRow
              key={question.key}
              question={question}
              source={told[group.id]?.source ?? ''}
              confirming={told[group.id]?.confirmed ?? false}
            />
          ))}
          {group.id === 'customer' && (
            <Survivors candidates={candidates} asked={questions.some(({ name: one }) => one === 'survive')} />
          )}
        </section>
      ))}
      {Object.keys(plan.circuits).length === 0 && (
        <p className="quiet">
          What the provider is asked follows from the circuits:{' '}
          <Link to={deskPath(name)}>add one on Addresses</Link>.
        </p>
      )}
      {taking && <TakeOver onClose={() => setTaking(false)} />}
      {letter && (
        <LetterDialog
          circuit={letter[0]}
          label={letter[1].label}
          provider={letter[1].provider ?? undefined}
          text=""
          told={told[letter[0]]}
          onClose={() => setLetter(null)}
        />
      )}
    </>
  );
}

/** Who tells the answers of one group: each is asked of somebody else. */
function ToldBy({ group, told, onChange }: { group: Group; told: Told; onChange: (told: Told) => void }) {
  return (
    <span className={`line near small ${styles.told}`}>
      <label>
        Told by{' '}
        <Line
          aria-label={`Who tells the answers of ${group.whom}`}
          className={styles.source}
          placeholder="name, how: Dana Reed, phone"
          maxLength={200}
          value={told.source}
          onChange={(event) => onChange({ ...told, source: event.target.value })}
        />
      </label>
      <label>
        <Tick
          aria-label={`The answers of ${group.whom} are confirmed`}
          checked={told.confirmed}
          onChange={(event) => onChange({ ...told, confirmed: event.target.checked })}
        />{' '}
        who confirms them
      </label>
    </span>
  );
}

function grouped(questions: Question[], circuits: Record<string, Circuit>): Group[] {
  const groups: Group[] = Object.entries(circuits).map(([id, circuit]) => ({
    id,
    title: `Provider of ${circuit.label}${circuit.provider ? `: ${circuit.provider}` : ''}`,
    whom: `the provider of ${circuit.label}`,
    circuit: [id, circuit],
    questions: questions.filter((question) => question.circuit === id && question.whom === 'provider'),
  }));
  const rest = (whom: Question['whom']) => questions.filter((question) => question.whom === whom);
  groups.push({ id: 'customer', title: 'Customer', whom: 'the customer', questions: rest('customer') });
  groups.push({ id: 'office', title: 'Own office', whom: 'the own office', questions: rest('office') });
  return groups.filter((group) => group.questions.length > 0);
}

function openWords(questions: Question[]): string {
  const left = questions.filter((question) => question.state === 'open').length;
  return left === 0 ? 'all answered' : `${left} open`;
}
