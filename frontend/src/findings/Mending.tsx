import { Press } from '../parts/controls';
import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { api, body } from '../api/client';
import { Trouble } from '../parts/Trouble';
import { count } from '../parts/words';
import styles from './findings.module.css';

/** The same kind of remedy at many sites: what it would do at each, then all at once as one change. */
export function Mending(props: { rule: string; sites: string[]; onClose: () => void }) {
  const { rule, sites, onClose } = props;
  const queries = useQueryClient();
  const preview = useQuery({
    queryKey: ['mending', rule, sites],
    queryFn: async () => body(await api.POST('/api/findings/preview', { body: { rule, sites } })),
    staleTime: 0,
    gcTime: 0,
    retry: false,
  });
  const apply = useMutation({
    mutationFn: async (revisions: Record<string, number>) =>
      body(await api.POST('/api/findings/apply', { body: { rule, revisions } })),
    onSuccess: async () => {
      await queries.invalidateQueries();
      onClose();
    },
  });
  const able = preview.data?.filter((one) => one.remedies.length > 0) ?? [];
  const unable = preview.data?.filter((one) => one.remedies.length === 0 && one.left > 0) ?? [];
  return (
    <section className="note plan" aria-label="What would be done">
      {preview.isPending && (
        <p role="status">
          Working out what would be done at {count(sites.length, 'site')}…{' '}
          <Button onClick={onClose}>Cancel</Button>
        </p>
      )}
      {(preview.error ?? apply.error) && <Trouble>{(preview.error ?? apply.error)?.message}</Trouble>}
      {preview.data && (
        <>
          <ol className={`rows below scroll ${styles.plans}`}>
            {able.map((one) => (
              <li key={`${one.customer}/${one.site}`}>
                <span>
                  <b>{one.site_name}</b> <span className="quiet">{`${one.customer}/${one.site}`}</span>
                  <ul className={styles.steps}>
                    {one.remedies.map((remedy) => (
                      <li key={remedy}>{remedy}</li>
                    ))}
                  </ul>
                </span>
              </li>
            ))}
            {unable.map((one) => (
              <li key={`${one.customer}/${one.site}`} className="quiet">
                {one.site_name} {`${one.customer}/${one.site}`}: no remedy is known, look at the site
              </li>
            ))}
          </ol>
          <Press
            variant="contained"
            autoFocus
            waits={able.length === 0 ? 'no remedy is known for any of them' : ''}
            loading={apply.isPending}
            onClick={() =>
              apply.mutate(
                Object.fromEntries(able.map((one) => [`${one.customer}/${one.site}`, one.revision])),
              )
            }
          >
            Do it at {count(able.length, 'site')}
          </Press>
          <Button onClick={onClose}>Leave it</Button>
        </>
      )}
    </section>
  );
}
