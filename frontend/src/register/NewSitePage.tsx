import Button from '@mui/material/Button';
import { useDeferredValue, useState, type ReactNode } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { Failure } from '../api/client';
import { useCustomers } from '../api/queries';
import { useMay, usePersonHere } from '../frame/person';
import { isDay } from '../parts/DayInput';
import { Line, SelectInline } from '../parts/controls';
import { Notice } from '../parts/Notice';
import { Trouble } from '../parts/Trouble';
import { deskPath } from '../parts/words';
import { begin, useProposal, useRegister } from './queries';
import styles from './register.module.css';

const EMPTY = { customerName: '', customer: '', name: '', site: '', street: '', zone: '', ships: '' };

/** A site begun by hand, and its customer with it when that one is new too. */
export function NewSitePage() {
  const [search] = useSearchParams();
  const customers = useCustomers(true);
  if (!useMay('plan')) {
    return <Notice title="A new site" detail="Planners, technicians and administrators begin sites." />;
  }
  if (customers.error) return <Notice title="A new site" detail={customers.error.message} />;
  if (!customers.data) return null;
  const asked = search.get('customer') ?? '';
  const known = Object.keys(customers.data).find((code) => code.toLowerCase() === asked.toLowerCase());
  return <NewSite customers={customers.data} first={known ?? ''} />;
}

function NewSite({ customers, first }: { customers: Record<string, string>; first: string }) {
  const me = usePersonHere();
  const [chosen, setChosen] = useState(first);
  const [typed, setTyped] = useState(EMPTY);
  const [technician, setTechnician] = useState(me.full_name);
  const navigate = useNavigate();
  const make = useRegister(begin);
  const fresh = chosen === '';
  const query = {
    customer: (fresh ? typed.customer : chosen).trim(),
    customer_name: fresh ? typed.customerName : '',
    name: typed.name,
    site: typed.site.trim(),
  };
  const proposal = useProposal(useDeferredValue(query));
  const proposed = proposal.data;
  const zone = typed.zone || proposed?.time_zone || Intl.DateTimeFormat().resolvedOptions().timeZone;
  const customer = query.customer || proposed?.customer || '';
  const site = query.site || proposed?.site || '';
  const wrongDay = typed.ships !== '' && !isDay(typed.ships);
  const ready = typed.name.trim() !== '' && (!fresh || typed.customerName.trim() !== '');

  const fault = make.error instanceof Failure ? make.error : null;
  const field = (
    name: keyof typeof EMPTY,
    label: string,
    hint: string,
    more: { mono?: boolean; focus?: boolean; said?: ReactNode; wrong?: boolean } = {},
  ) => (
    <label className="field">
      {label}
      <Line
        wide
        aria-label={label}
        aria-invalid={more.wrong ?? false}
        autoFocus={more.focus ?? false}
        className={more.mono ? 'mono' : ''}
        maxLength={name === 'site' || name === 'customer' ? 40 : 200}
        placeholder={hint}
        spellCheck={false}
        value={typed[name]}
        onChange={(event) => setTyped({ ...typed, [name]: event.target.value })}
      />
      {more.said}
    </label>
  );
  const taken = proposed && query.site !== '' ? proposed.taken : '';
  return (
    <form
      className="page"
      aria-label="A new site"
      onSubmit={(event) => {
        event.preventDefault();
        if (!ready || wrongDay || taken) return;
        make.mutate(
          {
            customer: query.customer, // what is left out is made from the name
            customer_name: query.customer_name.trim(),
            site: query.site,
            name: typed.name.trim(),
            street: typed.street.trim(),
            time_zone: zone,
            ship_date: typed.ships || null,
            technician: technician.trim(),
          },
          { onSuccess: (made) => void navigate(deskPath(made, 'intake')) },
        );
      }}
    >
      <h1 className="sentence">
        A new site of{' '}
        <SelectInline
          aria-label="Customer"
          value={chosen}
          onChange={(event) => setChosen(event.target.value)}
        >
          <option value="">a new customer</option>
          {Object.entries(customers).map(([code, name]) => (
            <option key={code} value={code}>
              {name}
            </option>
          ))}
        </SelectInline>
      </h1>
      <div className={`card part ${styles.new}`}>
        {fresh && field('customerName', 'Name of the customer', 'Fernhollow Garden Centres', { focus: true })}
        {fresh &&
          field('customer', 'Code of the customer', proposed?.customer || 'from the name', { mono: true })}
        {field('name', 'Name of the site', 'Dockside', { focus: !fresh })}
        {field('site', 'Code of the site', proposed?.site || 'from the name', {
          mono: true,
          wrong: taken !== '',
          said: taken && (
            <span role="alert" className="bad">
              {taken}: choose another
            </span>
          ),
        })}
        {field('street', 'Street', '14 Quay Road, Larchford')}
        {field('zone', 'Time zone of its place', zone, { mono: true })}
        {field('ships', 'Ships on', '2027-03-04', {
          mono: true,
          wrong: wrongDay,
          said: wrongDay && <span className="bad">Write year-month-day</span>,
        })}
        <label className="field">
          Technician
          <Line
            wide
            aria-label="Technician"
            maxLength={200}
            value={technician}
            onChange={(event) => setTechnician(event.target.value)}
          />
        </label>
        <div className={`line ${styles.go}`}>
          <Button type="submit" variant="contained" disabled={!ready || wrongDay} loading={make.isPending}>
            Make the site
          </Button>
          <span className="quiet">
            {ready ? (
              <>
                as <span className="mono">{`${customer}/${site}`}</span>; codes and names can be changed later
              </>
            ) : (
              'It needs a name; all else can follow'
            )}
          </span>
        </div>
        {fault && <Trouble>{fault.message}</Trouble>}
      </div>
    </form>
  );
}
