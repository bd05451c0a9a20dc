import Button from '@mui/material/Button';
import Table from '@mui/material/Table';
import TableBody from '@mui/material/TableBody';
import TableCell from '@mui/material/TableCell';
import TableRow from '@mui/material/TableRow';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, body, type Schemas } from '../api/client';
import { useMay } from '../frame/person';
import { Heads } from '../parts/Heads';
import { Notice } from '../parts/Notice';
import { Trouble } from '../parts/Trouble';
import { away, count, dated, localToday, moment } from '../parts/words';
import { bringBack, useAway, useRegister } from '../register/queries';
import styles from './customers.module.css';

/** All customers that have sites. */
export function CustomersPage() {
  const customers = useQuery({
    queryKey: ['customers', 'list'],
    queryFn: async () => body(await api.GET('/api/customers')),
  });
  const putAway = useAway();
  const mayPlan = useMay('plan');
  if (customers.error) return <Notice title="Customers cannot be shown" detail={customers.error.message} />;
  if (!customers.data) return null;
  if (customers.data.length === 0 && !putAway.data?.length) {
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
      <Table className={styles.list}>
        <Heads of={['Customer', '', 'To ship', 'Held by stops', 'Signed', 'Shipped', 'Ships next']} />
        <TableBody>
          {customers.data.map((customer) => (
            <Row key={customer.code} customer={customer} />
          ))}
        </TableBody>
      </Table>
      {putAway.data && putAway.data.length > 0 && <PutAway sites={putAway.data} />}
    </div>
  );
}

/** One customer, and what is under way there. */
function Row({ customer }: { customer: Schemas['CustomerListed'] }) {
  const { next_date, next_site } = customer;
  const late = next_date && next_date < localToday();
  return (
    <TableRow>
      <TableCell component="th" scope="row">
        <Link to={`/customers/${encodeURIComponent(customer.code)}`}>
          <b>{customer.name}</b>
        </Link>
      </TableCell>
      <TableCell className="mono quiet">{customer.code}</TableCell>
      <TableCell>{some(customer.sites - customer.shipped)}</TableCell>
      <TableCell className={customer.stopped > 0 ? 'bad' : ''}>{some(customer.stopped)}</TableCell>
      <TableCell>{some(customer.clear)}</TableCell>
      <TableCell>{some(customer.shipped)}</TableCell>
      <TableCell className={late ? 'bad' : ''}>
        {next_date ? `${dated(next_date)}, ${away(next_date, localToday())}: ${next_site}` : ''}
      </TableCell>
    </TableRow>
  );
}

/** A number, and nothing where there is none. */
const some = (many: number) => many || '';

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
