import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, body, type Schemas } from '../api/client';
import { useMay } from '../frame/person';
import { Notice } from '../parts/Notice';
import { Trouble } from '../parts/Trouble';
import { count, moment } from '../parts/words';
import { bringBack, useAway, useRegister } from '../register/queries';
import styles from './customers.module.css';

/** All customers that have sites. */
export function CustomersPage() {
  const customers = useQuery({
    queryKey: ['customers', 'list'],
    queryFn: async () => body(await api.GET('/api/customers')),
  });
  const away = useAway();
  const mayPlan = useMay('plan');
  if (customers.error) return <Notice title="Customers cannot be shown" detail={customers.error.message} />;
  if (!customers.data) return null;
  if (customers.data.length === 0 && !away.data?.length) {
    return (
      <Notice title="No customers yet" detail="They come with their sites.">
        {mayPlan && (
          <Button variant="contained" component={Link} to="/new">
            Begin a site by hand
          </Button>
        )}
      </Notice>
    );
  }
  return (
    <div className="page">
      <div className="line far below">
        <h1>{count(customers.data.length, 'customer')}</h1>
        {mayPlan && (
          <Button variant="outlined" component={Link} to="/new">
            New customer
          </Button>
        )}
      </div>
      <ul className={`rows ${styles.list}`}>
        {customers.data.map((customer) => (
          <li key={customer.code}>
            <span>
              <Link to={`/customers/${encodeURIComponent(customer.code)}`}>
                <b>{customer.name}</b>
              </Link>{' '}
              <span className="mono">{customer.code}</span>
            </span>
            <span className="quiet">{count(customer.sites, 'site')}</span>
          </li>
        ))}
      </ul>
      {away.data && away.data.length > 0 && <PutAway sites={away.data} />}
    </div>
  );
}

/** Sites that take part in nothing, each kept with all it has. */
function PutAway({ sites }: { sites: Schemas['AwayShown'][] }) {
  const back = useRegister(bringBack);
  const mayPlan = useMay('plan');
  return (
    <section className="card part above" aria-label="Put away">
      <h2>{count(sites.length, 'site')} put away</h2>
      <ul className="rows">
        {sites.map((one) => (
          <li key={`${one.customer}/${one.site}`}>
            <span>
              <b>{one.name}</b> <span className="mono">{`${one.customer}/${one.site}`}</span>{' '}
              <span className="quiet">
                by {one.by}, {moment(one.at, true)}
              </span>
            </span>
            {mayPlan && (
              <Button
                loading={back.isPending && back.variables.site === one.site}
                onClick={() => back.mutate({ customer: one.customer, site: one.site })}
              >
                Bring back
              </Button>
            )}
          </li>
        ))}
      </ul>
      {back.error && <Trouble>{back.error.message}</Trouble>}
    </section>
  );
}
