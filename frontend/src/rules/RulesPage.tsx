import { useQuery } from '@tanstack/react-query';
import { useEffect } from 'react';
import { useLocation, useSearchParams } from 'react-router';
import { api, body, type Schemas } from '../api/client';
import { Options, SelectInline } from '../parts/controls';
import { SeverityMark } from '../parts/Marks';
import { Trouble } from '../parts/Trouble';
import { count } from '../parts/words';
import styles from './rules.module.css';

type Rule = Schemas['RuleShown'];

const CHOICES = {
  '': 'every rule',
  stop: 'what stops a site',
  warn: 'what asks for a decision',
  note: 'what is worth knowing',
  speaking: 'what speaks at present',
} as const;

/** The rule book, from the registry of the rules themselves. */
export function RulesPage() {
  const [search, setSearch] = useSearchParams();
  const { hash } = useLocation();
  const shown = search.get('show') ?? '';
  const rules = useQuery({ queryKey: ['rules'], queryFn: async () => body(await api.GET('/api/rules')) });
  const ready = rules.data !== undefined;

  useEffect(() => {
    if (ready && hash) document.getElementById(hash.slice(1))?.scrollIntoView({ block: 'center' });
  }, [ready, hash]);

  if (rules.error) return <Trouble>{rules.error.message}</Trouble>;
  if (!rules.data) return null;
  const wanted = rules.data.filter((rule) =>
    shown === 'speaking' ? rule.findings > 0 : shown === '' || rule.severity === shown,
  );
  const chapters = [...new Set(wanted.map((rule) => rule.chapter))];
  return (
    <div className="page">
      <h1 className="sentence">
        Rule book: show{' '}
        <SelectInline
          aria-label="Which rules"
          value={shown}
          onChange={(event) =>
            setSearch(event.target.value ? { show: event.target.value } : {}, { replace: true })
          }
        >
          <Options of={Object.entries(CHOICES)} />
        </SelectInline>
      </h1>
      <p className="quiet" role="status">
        {count(wanted.length, 'rule')} of {rules.data.length}. A stop cannot be cleared, a warn is mended or
        accepted with a reason, a note is worth knowing.
      </p>
      {wanted.length === 0 && <p>No rule of this kind speaks at present.</p>}
      {chapters.map((chapter) => (
        <section key={chapter} aria-label={chapter}>
          <h2 className={styles.chapter}>{chapter}</h2>
          {wanted
            .filter((rule) => rule.chapter === chapter)
            .map((rule) => (
              <Entry key={rule.id} rule={rule} sought={hash === `#${rule.id}`} />
            ))}
        </section>
      ))}
    </div>
  );
}

function Entry({ rule, sought }: { rule: Rule; sought: boolean }) {
  return (
    <article id={rule.id} className={`${styles.rule} ${sought ? styles.sought : ''}`}>
      <SeverityMark of={rule.severity} size={16} />
      <div>
        <h3>{rule.title}</h3>
        <p>{rule.prose}</p>
      </div>
      <div className={styles.facts}>
        <div>
          {rule.severity} at the {rule.subject}
        </div>
        <div className="mono">{rule.id}</div>
        <div>{rule.remedies ? 'offers remedies' : ''}</div>
      </div>
      <div className={styles.speaks}>
        {rule.findings > 0
          ? `${count(rule.findings, 'finding')} at ${count(rule.sites, 'site')}`
          : 'silent at present'}
      </div>
    </article>
  );
}
