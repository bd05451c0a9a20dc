import Button from '@mui/material/Button';
import { useState } from 'react';
import { useHardware } from '../desk/devices/queries';
import { Line, Options, Select, Tick } from '../parts/controls';
import { Trouble } from '../parts/Trouble';
import styles from './practice.module.css';
import { usePut } from './queries';

/** Put one more box on the bench, out of its carton, with what is wrong with it. */
export function PutBox() {
  const types = useHardware();
  const put = usePut();
  const [type, setType] = useState('');
  const [dead, setDead] = useState('');
  const [used, setUsed] = useState(false);
  const [mislabelled, setMislabelled] = useState(false);
  const known = (types.data ?? []).map((one) => one.type);
  const chosen = type || known[0]?.key || '';
  return (
    <form
      className={`card part line wrap ${styles.put}`}
      aria-label="Put a box on the bench"
      onSubmit={(event) => {
        event.preventDefault();
        put.mutate({
          type: chosen,
          site: '',
          device: '',
          dead_port: dead,
          not_fresh: used,
          wrong_label: mislabelled,
        });
      }}
    >
      <label className="line">
        Put a
        <Select value={chosen} onChange={(event) => setType(event.target.value)}>
          <Options of={known.map((one) => [one.key, `${one.maker} ${one.model}`])} />
        </Select>
      </label>
      <span className="quiet small">To practise with faults:</span>
      <label className="line small">
        dead port
        <Line value={dead} size={4} maxLength={40} onChange={(event) => setDead(event.target.value)} />
      </label>
      <label className="line small">
        <Tick checked={used} onChange={(event) => setUsed(event.target.checked)} />
        used before
      </label>
      <label className="line small">
        <Tick checked={mislabelled} onChange={(event) => setMislabelled(event.target.checked)} />
        wrong label
      </label>
      <Button type="submit" variant="contained" loading={put.isPending} disabled={!chosen}>
        On the bench
      </Button>
      {put.error && <Trouble>{put.error.message}</Trouble>}
    </form>
  );
}
