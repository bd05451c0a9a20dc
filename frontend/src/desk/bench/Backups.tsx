import Button from '@mui/material/Button';
import { useRef } from 'react';
import type { Run } from '../../api/client';
import { useMay } from '../../frame/person';
import { Trouble } from '../../parts/Trouble';
import { count, moment } from '../../parts/words';
import { useDeskState } from '../context';
import styles from './bench.module.css';
import { useAttach } from './queries';

/** The back-ups of this run: stored encrypted, with their checksums. */
export function Backups({ run }: { run: Run }) {
  const { name } = useDeskState();
  const attach = useAttach(name, run.device);
  const picker = useRef<HTMLInputElement>(null);
  const [mayStage, mayRead] = [useMay('stage'), useMay('read')];
  const place = [name.customer, name.site].map(encodeURIComponent).join('/');
  return (
    <div className={`pile start ${styles.backups}`}>
      {run.backups.length === 0 && <p className="quiet">None is attached yet.</p>}
      {run.backups.map((backup) => (
        <div key={backup.id}>
          {mayRead ? (
            <a href={`/api/sites/${place}/bench/${run.device}/backups/${backup.id}`}>{backup.name}</a>
          ) : (
            <b>{backup.name}</b>
          )}{' '}
          <span className="quiet">
            {count(backup.size, 'byte')}, revision {backup.revision}, {backup.by}, {moment(backup.at)}
          </span>
          <div className="mono quiet">SHA-256 {backup.sha256}</div>
        </div>
      ))}
      {mayStage && (
        <Button
          variant="outlined"
          data-measure="backup"
          loading={attach.isPending}
          onClick={() => picker.current?.click()}
        >
          Attach the backup file
        </Button>
      )}
      <input
        ref={picker}
        type="file"
        hidden
        aria-label="Backup file"
        onChange={(event) => {
          const file = event.target.files?.[0];
          if (file) attach.mutate(file);
          event.target.value = '';
        }}
      />
      {attach.error && <Trouble>{attach.error.message}</Trouble>}
    </div>
  );
}
