import { useMay } from '../frame/person';
import { LinkButton } from '../parts/controls';
import { Trouble } from '../parts/Trouble';
import { count } from '../parts/words';
import { PutBox } from './PutBox';
import styles from './practice.module.css';
import { usePractice, useProvider } from './queries';
import { StandInCard } from './StandInCard';

/** A bench of boxes that are not there: to learn staging on, to try a hardware type, to let Octaplan stage them. */
export function PracticePage() {
  const { data: bench, error } = usePractice();
  const provider = useProvider();
  const may = useMay('stage');
  if (error) return <Trouble>{error.message}</Trouble>;
  if (!bench) return null;
  return (
    <div className="page pile">
      <h1 className="sentence">
        Practice bench:{' '}
        {bench.boxes.length === 0 ? 'nothing stands on it yet' : count(bench.boxes.length, 'box', 'boxes')},
        and the provider’s line is{' '}
        <LinkButton disabled={!may} onClick={() => provider.mutate(!bench.provider_up)}>
          {bench.provider_up ? 'up' : 'down'}
        </LinkButton>
      </h1>
      <p className="quiet small">
        Each box is a stand-in, made from its hardware type: out of its carton, with own pages, SSH and
        console on the machine that Octaplan runs on, and a laptop at it. Nothing here reaches a real box.{' '}
        {bench.lacks
          ? `${bench.lacks}. Until then the bench tells what packets would come to.`
          : 'Leases, pings and connections are real packets, in networks of their own.'}
      </p>
      {may && <PutBox />}
      <div className={styles.bench}>
        {bench.boxes.map((box) => (
          <StandInCard key={box.key} box={box} may={may} />
        ))}
      </div>
    </div>
  );
}
