import { useQuery } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import { api, body } from '../../api/client';
import { deskKey } from '../../api/queries';
import { deskPath } from '../../parts/words';
import { useDeskState } from '../context';
import { tally } from './matrix';
import { MatrixGrid } from './MatrixGrid';
import { useMatrix, type Place } from './queries';

/** Who reaches whom as it is signed, or would be; and what changed in it since the last signature. */
export function SignedTraffic() {
  const { name, desk } = useDeskState();
  const navigate = useNavigate();
  const { data: matrix } = useMatrix(name, desk.revision.number, '');
  const since = desk.clearance && !desk.summary.clear ? desk.clearance.revision : null;
  const changed = useQuery({
    queryKey: [...deskKey(name), 'traffic', desk.revision.number, 'since', since],
    queryFn: async () =>
      body(
        await api.GET('/api/sites/{customer}/{site}/traffic/since/{revision}', {
          params: { path: { ...name, revision: since ?? 1 } },
        }),
      ),
    enabled: since !== null,
  });
  if (!matrix?.walked || !matrix.complete) return null;
  const { amiss, walked } = tally(matrix.cells);
  const word = (place: Place) => (place.role ? place.label : place.key);
  return (
    <section className="part" aria-label="Who reaches whom, as it is signed">
      <h2>
        {desk.summary.clear
          ? 'Who reaches whom, as it was signed'
          : 'Who reaches whom, as it would be signed'}
      </h2>
      <p className="quiet">
        {walked} pairs walked, {amiss === 0 ? 'all as meant' : `${amiss} otherwise than meant`}.
      </p>
      <MatrixGrid
        matrix={matrix}
        open={null}
        onOpen={(source, target) => {
          const query = new URLSearchParams({ from: word(source), to: word(target) });
          void navigate(`${deskPath(name, 'traffic')}?${query.toString()}`);
        }}
      />
      {since !== null && changed.data && (
        <>
          <h3>Since revision {since} was signed</h3>
          {changed.data.length === 0 && <p className="quiet">Nothing about who reaches whom has changed.</p>}
          <ul>
            {changed.data.map((sentence) => (
              <li key={sentence}>{sentence}</li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
