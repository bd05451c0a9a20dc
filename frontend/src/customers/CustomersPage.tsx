import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { api, body } from '../api/client';
import { Notice } from '../parts/Notice';
import { count } from '../parts/words';
import styles from './customers.module.css';

/** All customers that have sites. */
export function CustomersPage() {
  const customers = useQuery({
    queryKey: ['customers', 'list'],
    queryFn: async () => body(await api.GET('/api/customers')),
  });
  if (customers.error) return <Notice title="Customers cannot be shown" detail={customers.error.message} />;
  if (!customers.data) return null;
  if (customers.data.length === 0) {
    return (
      <Notice title="No customers yet" detail="They come with their sites: load intake tables on Outbound." />
    );
  }
  return (
    <div className="page">
      <h1>{count(customers.data.length, 'customer')}</h1>
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
    </div>
  );
}
