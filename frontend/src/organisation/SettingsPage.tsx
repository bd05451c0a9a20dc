import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { api, body, Failure, type Schemas } from '../api/client';
import { useOrganisation } from '../api/queries';
import { useMay } from '../frame/person';
import { Line, SelectInline, Tick, Press } from '../parts/controls';
import { SeverityMark } from '../parts/Marks';
import { Trouble } from '../parts/Trouble';
import { count, moment } from '../parts/words';
import { mono } from '../theme';
import { Bring } from '../parts/Bring';
import { IntentPart } from './IntentPart';
import { documentOf, draftOf, sharedBlocks, type Draft } from './draft';
import styles from './settings.module.css';

const KEY = ['organisation'];

/** The parts of the page, in their order. */
const PARTS = [
  'How addresses are given',
  'What new ones begin with',
  'Blocks of customers',
  'Networks to keep clear of',
  'Names and examples',
  'Who is meant to reach whom',
  'Boxes and support',
] as const;

/** What new ones begin with: where it is typed, where it is in the settings, what it is called, an example. */
const BEGINS = [
  ['resolvers', 'resolvers', 'Resolvers of a segment', 'as the customer’s, or the gateway'],
  ['range', 'range', 'DHCP range, by its last octets', 'such as .100-.199'],
  ['lease', 'lease', 'Lease', 'such as 8h'],
  ['timeServers', 'time_servers', 'Time servers of a box', 'as most boxes have'],
  ['managedFrom', 'managed_from', 'Networks elsewhere that boxes are managed from too', 'none'],
  ['country', 'country', 'Country of Wi-Fi networks, two letters', 'none'],
] as const;

/** What the organisation decides for all of its sites; every change is a revision, and every site is checked again. */
export function SettingsPage() {
  const shown = useOrganisation();
  const [saved, setSaved] = useState<number>();
  if (shown.error) return <Trouble>{shown.error.message}</Trouble>;
  if (!shown.data) return null;
  const { number } = shown.data.revision;
  return <Settings key={number} shown={shown.data} fresh={number === saved} onSaved={setSaved} />;
}

function Settings(props: {
  shown: Schemas['OrganisationShown'];
  /** Whether it was saved here, just now. */
  fresh: boolean;
  onSaved: (revision: number) => void;
}) {
  const { shown, fresh, onSaved } = props;
  const may = useMay('organise');
  const administers = useMay('administer');
  const queries = useQueryClient();
  const [draft, setDraft] = useState<Draft>(() => draftOf(shown.settings));
  const change = (part: Partial<Draft>) => setDraft({ ...draft, ...part });
  const dirty = JSON.stringify(draft) !== JSON.stringify(draftOf(shown.settings));
  const save = useMutation({
    mutationFn: async () =>
      body(
        await api.PUT('/api/organisation', {
          params: { header: { 'if-match': String(shown.revision.number) } },
          body: documentOf(draft),
        }),
      ),
    onSuccess: (saved) => {
      onSaved(saved.revision.number);
      queries.setQueryData(KEY, saved);
      void queries.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== KEY[0] });
    },
  });
  const fault = (place: string) =>
    save.error instanceof Failure && save.error.path.split(/[./]/).includes(place) ? save.error.message : '';
  const told = [
    'own_networks',
    'common_defaults',
    'blocks',
    'owned_domains',
    'leave_fixed',
    'growth',
    'beginning',
    'naming',
    'banner',
    'support',
    'intent',
  ].some(fault);
  const lines = (
    field: 'ownNetworks' | 'commonDefaults' | 'ownedDomains' | 'handsNetworks',
    place: string,
    label: string,
    permitted = may,
  ) => (
    <TextField
      fullWidth
      multiline
      minRows={2}
      maxRows={8}
      label={label}
      value={draft[field]}
      disabled={!permitted}
      error={fault(place) !== ''}
      helperText={fault(place)}
      onChange={(event) => change({ [field]: event.target.value })}
      slotProps={{
        inputLabel: { shrink: true },
        htmlInput: { spellCheck: false, maxLength: 20_000, style: { fontFamily: mono, fontSize: 13 } },
      }}
    />
  );
  const text = (field: 'naming' | 'banner' | 'support', label: string, hint: string, most: number) => (
    <TextField
      fullWidth
      multiline={field === 'banner'}
      maxRows={6}
      label={label}
      value={draft[field]}
      disabled={!may}
      error={fault(field) !== ''}
      helperText={fault(field) || hint}
      onChange={(event) => change({ [field]: event.target.value })}
      slotProps={{
        inputLabel: { shrink: true },
        htmlInput: {
          spellCheck: field === 'banner',
          maxLength: most,
          ...(field === 'naming' && { style: { fontFamily: mono, fontSize: 13 } }),
        },
      }}
    />
  );
  const number = (field: 'leaveFixed' | 'growth', label: string) => (
    <Line
      className={styles.number}
      aria-label={label}
      inputMode="numeric"
      maxLength={6}
      disabled={!may}
      value={draft[field]}
      onChange={(event) => change({ [field]: event.target.value })}
    />
  );
  const side = (field: 'gateway' | 'hosts', label: string) => (
    <SelectInline
      aria-label={label}
      value={draft[field]}
      disabled={!may}
      onChange={(event) => change({ [field]: event.target.value })}
    >
      <option value="first">first</option>
      <option value="last">last</option>
    </SelectInline>
  );
  return (
    <form
      className="page"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate();
      }}
    >
      <div className="in-sight">
        <div className="line far">
          <h1>Settings</h1>
          <span className="quiet" role="status">
            Revision {shown.revision.number}
            {shown.revision.number > 0 && `, ${moment(shown.revision.at, true)}, ${shown.revision.by}`}
            {fresh && ': saved, and every site is checked again'}
          </span>
          <span style={{ marginLeft: 'auto' }} />
          {may && (
            <>
              <Press
                waits={!dirty ? 'nothing has been changed' : ''}
                onClick={() => setDraft(draftOf(shown.settings))}
              >
                Put back
              </Press>
              <Press
                type="submit"
                variant="contained"
                waits={!dirty ? 'nothing has been changed' : ''}
                loading={save.isPending}
              >
                Save settings
              </Press>
            </>
          )}
        </div>
        {!may && <p className="quiet">They can be read here. Planners and administrators change them.</p>}
        {may && dirty && (
          <div role="status" aria-label="What it would bring">
            <Bring document={documentOf(draft)} />
          </div>
        )}
        {save.error && !told && <Trouble>{save.error.message}</Trouble>}
      </div>
      <Contents />
      <Part title="How addresses are given" rules={['gateway-convention', 'scope-fills', 'subnet-tight']}>
        <p className={styles.sentence}>
          The gateway is the {side('gateway', 'Which usable address is the gateway')} usable address of a
          subnet, and fixed hosts take the {side('hosts', 'From which end fixed hosts take addresses')} free
          ones. A DHCP range leaves {number('leaveFixed', 'Addresses left for fixed hosts')} addresses for
          them. To expected hosts {number('growth', 'Per cent of growth')} % are added when room is made.
        </p>
        {(fault('leave_fixed') || fault('growth')) && (
          <Trouble>{fault('leave_fixed') || fault('growth')}</Trouble>
        )}
      </Part>
      <Part title="What new ones begin with" rules={['time-server-missing', 'scope-lease']}>
        <p className="quiet">
          Each new segment, box and Wi-Fi network takes these; of segments and boxes it is said which. What is
          empty is as the site has it already; what is there is not changed.
        </p>
        <div className={styles.begins}>
          {BEGINS.map(([field, place, label, example]) => (
            <TextField
              key={field}
              label={label}
              value={draft.beginning[field]}
              disabled={!may}
              placeholder={example}
              error={fault(place) !== ''}
              helperText={fault(place)}
              onChange={(event) => change({ beginning: { ...draft.beginning, [field]: event.target.value } })}
              slotProps={{
                inputLabel: { shrink: true },
                htmlInput: { spellCheck: false, maxLength: 2_000, style: { fontFamily: mono, fontSize: 13 } },
              }}
            />
          ))}
        </div>
      </Part>
      <Part title="Blocks of customers" rules={['overlap-reach', 'outside-blocks', 'foreign-block']}>
        <p className="quiet">
          New subnets of a customer are taken from its blocks; without any, from the private block that the
          site is in.
        </p>
        <div className={`above ${styles.blocks}`}>
          {Object.entries(shown.customers).map(([code, name]) => (
            <TextField
              key={code}
              label={`${code} ${name}`}
              value={draft.blocks[code.toLowerCase()] ?? ''}
              disabled={!may}
              placeholder="none"
              onChange={(event) =>
                change({ blocks: { ...draft.blocks, [code.toLowerCase()]: event.target.value } })
              }
              slotProps={{
                inputLabel: { shrink: true },
                htmlInput: { spellCheck: false, maxLength: 2_000, style: { fontFamily: mono, fontSize: 13 } },
              }}
            />
          ))}
        </div>
        {Object.keys(shown.customers).length === 0 && (
          <p>There are no customers yet: load tables on Outbound, then give them blocks here.</p>
        )}
        {fault('blocks') && <Trouble>{fault('blocks')}</Trouble>}
        {sharedBlocks(draft.blocks).map((told) => (
          <p key={told} role="note">
            <SeverityMark of="warn" size={12} /> {told}: a new subnet of either is taken only where the other
            has none
          </p>
        ))}
      </Part>
      <div className={styles.columns}>
        <Part title="Networks to keep clear of" rules={['overlap-ours', 'common-default']}>
          {lines('ownNetworks', 'own_networks', 'Our own networks, one a line: network and name')}
          {lines('commonDefaults', 'common_defaults', 'What home routers and modems use, one a line')}
        </Part>
        <Part title="Names and examples" rules={['domain-public', 'wan-private']}>
          {lines('ownedDomains', 'owned_domains', 'Public domains that customers own, one a line')}
          <label className="line baseline">
            <Tick
              checked={draft.flagDocumentation}
              disabled={!may}
              onChange={(event) => change({ flagDocumentation: event.target.checked })}
            />
            Warn of addresses that are meant for examples (RFC 5737, RFC 3849) on circuits
          </label>
        </Part>
      </div>
      <Part title="Who is meant to reach whom" rules={['permit-missing', 'isolate-broken']}>
        <p className="quiet">
          By the roles of segments, at every site: empty is closed, “open” is everything, or name the
          services. Customers and sites depart from it cell by cell, with a reason.
        </p>
        <IntentPart intent={draft.intent} may={may} onChange={(intent) => change({ intent })} />
        {fault('intent') && <Trouble>{fault('intent')}</Trouble>}
      </Part>
      <Part title="Boxes and support" rules={[]}>
        <div className={styles.columns}>
          {text(
            'naming',
            'How new boxes are named',
            'Made of {customer}, {site}, {role} and {number}; the first of a role has no number',
            60,
          )}
          {text(
            'support',
            'Whom a site calls when something does not work',
            'Name, number and hours; on the labels, the site sheet and the installer’s page',
            120,
          )}
        </div>
        {text(
          'banner',
          'What a box says before one signs in',
          'On the run sheet of each box that has no banner of its own',
          1000,
        )}
        <label className="line">
          <Tick
            checked={draft.readBack}
            disabled={!may}
            onChange={(event) => change({ readBack: event.target.checked })}
          />
          A site ships only once each of its boxes was read back without a departure
        </label>
        <label className="line">
          <Tick
            checked={draft.rehearsed}
            disabled={!may}
            onChange={(event) => change({ rehearsed: event.target.checked })}
          />
          A site is cleared only once it was rehearsed as it is, and the network did as the walk says
        </label>
        <label className="line">
          <Tick
            checked={draft.stagesReal}
            disabled={!administers}
            onChange={(event) => change({ stagesReal: event.target.checked })}
          />
          Octaplan may stage real boxes, over the network of the machine that it runs on
        </label>
        {lines(
          'handsNetworks',
          'hands_networks',
          'Networks in which its hands may reach them, one a line (administrators)',
          administers,
        )}
        <label className="line">
          <Tick
            checked={draft.practiceCounts}
            disabled={!may}
            onChange={(event) => change({ practiceCounts: event.target.checked })}
          />
          Runs on the practice bench count as staged: for a portfolio to learn with, never for real boxes
        </label>
      </Part>
      <History number={shown.revision.number} />
    </form>
  );
}

/** What the page holds, to go there at once. */
function Contents() {
  return (
    <nav aria-label="What is set here" className={`line wrap small above ${styles.contents}`}>
      {PARTS.map((title) => (
        <a key={title} href={`#${anchorOf(title)}`}>
          {title}
        </a>
      ))}
    </nav>
  );
}

const anchorOf = (title: string) => title.toLowerCase().replace(/[^a-z]+/g, '-');

function Part({
  title,
  rules,
  children,
}: {
  title: (typeof PARTS)[number];
  rules: string[];
  children: ReactNode;
}) {
  return (
    <section className={`card part pile above ${styles.part}`} aria-label={title} id={anchorOf(title)}>
      <h2>
        {title}
        {rules.length > 0 && (
          <span className={`line stretch quiet small end ${styles.rules}`}>
            used by{' '}
            {rules.map((rule) => (
              <Link key={rule} to={`/rules#${rule}`} className="mono">
                {rule}
              </Link>
            ))}
          </span>
        )}
      </h2>
      {children}
    </section>
  );
}

function History({ number }: { number: number }) {
  const history = useQuery({
    queryKey: [...KEY, 'revisions', number],
    queryFn: async () => body(await api.GET('/api/organisation/revisions')),
  });
  if (!history.data || history.data.length === 0) return null;
  return (
    <section className="card part above" aria-label="Revisions">
      <h2>{count(history.data.length, 'revision')}</h2>
      <ol className="rows">
        {history.data.slice(0, 20).map((saved) => (
          <li key={saved.number}>
            <b>{saved.number}</b> {saved.sentence}{' '}
            <span className="quiet">
              {saved.by}, {moment(saved.at, true)}
            </span>
          </li>
        ))}
      </ol>
    </section>
  );
}
