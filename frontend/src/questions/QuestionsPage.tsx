import Button from '@mui/material/Button';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { useCustomers } from '../api/queries';
import { useMay } from '../frame/person';
import { copy } from '../parts/clipboard';
import { Choose } from '../parts/Choose';
import { Notice } from '../parts/Notice';
import { count, deskPath } from '../parts/words';
import { CameBack } from './CameBack';
import { useListText, useQuestions, type QuestionList } from './queries';
import styles from './questions.module.css';

const WHOM = { provider: 'Provider', customer: 'Customer', office: '' } as const;

/** What is open at all sites, as lists to send; and the answers that come back. */
export function QuestionsPage() {
  const [search, setSearch] = useSearchParams();
  const customer = search.get('customer') ?? '';
  const customers = useCustomers(true);
  const lists = useQuestions(customer);
  const mayPlan = useMay('plan');
  if (lists.error) return <Notice title="Questions cannot be shown" detail={lists.error.message} />;
  if (!lists.data) return null;
  const wanted = search.get('list');
  const chosen = lists.data.find((list) => idOf(list) === wanted) ?? lists.data[0];
  const total = lists.data.reduce((sum, list) => sum + list.total, 0);
  return (
    <div className="page">
      <h1 className="sentence">
        {count(total, 'question')} open at{' '}
        <Choose
          label="Customer"
          value={customer}
          of={[
            { code: '', name: 'all sites' },
            ...Object.entries(customers.data ?? {}).map(([code, name]) => ({
              code,
              name: `sites of ${name}`,
            })),
          ]}
          onChoose={(code) => setSearch(code ? { customer: code } : {}, { replace: true })}
        />
      </h1>
      <div className={`above ${styles.columns}`}>
        <nav aria-label="Whom to ask" className={styles.lists}>
          {lists.data.map((list) => (
            <button
              key={idOf(list)}
              aria-current={list === chosen}
              onClick={() =>
                setSearch({ ...(customer ? { customer } : {}), list: idOf(list) }, { replace: true })
              }
            >
              <span className="quiet">{WHOM[list.whom]}</span> <b>{list.who}</b>
              <div className="quiet">
                {count(list.total, 'question')} at {count(list.sites, 'site')}
              </div>
            </button>
          ))}
          {lists.data.length === 0 && <p className="quiet">Nothing is open.</p>}
        </nav>
        {chosen && <Chosen key={idOf(chosen)} list={chosen} customer={customer} />}
      </div>
      {mayPlan && <CameBack />}
    </div>
  );
}

function idOf(list: QuestionList): string {
  return `${list.whom} ${list.who}`;
}

/** One list: as it is sent, and where each question stands. */
function Chosen({ list, customer }: { list: QuestionList; customer: string }) {
  const [copied, setCopied] = useState(false);
  const query = new URLSearchParams({ whom: list.whom, who: list.who, customer }).toString();
  const text = useListText(list, customer).data ?? '';
  return (
    <section className="card part" aria-label={`Questions for ${list.who}`}>
      <div className="line far wrap below">
        <Button variant="contained" onClick={() => void copy(text).then(setCopied)}>
          Copy the list
        </Button>
        {copied && <span role="status">copied</span>}
        <Button onClick={() => window.print()}>Print</Button>
        <a href={`/api/questions/list.csv?${query}`} download>
          CSV
        </a>
        <a href={`/api/questions/list.xlsx?${query}`} download>
          XLSX
        </a>
        <a href={`/api/questions/list.ods?${query}`} download>
          ODS
        </a>
      </div>
      <pre className={`scroll ${styles.text}`} tabIndex={0} aria-label={`The list for ${list.who}`}>
        {text}
      </pre>
      <p className={`line stretch wrap small ${styles.where}`}>
        On Intake:{' '}
        {list.first.map((one) => (
          <Link key={`${one.customer}/${one.site}`} to={deskPath(one, 'intake')}>
            {one.name}
          </Link>
        ))}
        {list.sites > list.first.length && ` and ${list.sites - list.first.length} more`}
      </p>
    </section>
  );
}
