import Button from '@mui/material/Button';
import { useState } from 'react';
import { NavLink, useNavigate, useParams, useSearchParams } from 'react-router';
import type { HardwareType, TypeShown } from '../api/client';
import { useHardware } from '../desk/devices/queries';
import { useMay } from '../frame/person';
import { Notice } from '../parts/Notice';
import { count } from '../parts/words';
import { BLANK, blankOf, copyOf } from './blank';
import styles from './hardware.module.css';
import { PortPanel } from './PortPanel';
import { TypeEditor } from './TypeEditor';
import { TypeView } from './TypeView';

/** The hardware types: what is true of every box of one model. */
export function HardwarePage() {
  const { key } = useParams();
  const navigate = useNavigate();
  const hardware = useHardware();
  const mayKeep = useMay('hardware');
  const [params] = useSearchParams();
  const site = params.get('for'); // whose box a type is wanted for
  const wanted = params.get('new') as HardwareType['kind'] | null;
  const [editing, setEditing] = useState<{ type: HardwareType; version: number } | null>(
    wanted && mayKeep ? { type: blankOf(wanted), version: 0 } : null,
  );
  if (hardware.error) return <Notice title="Hardware cannot be shown" detail={hardware.error.message} />;
  if (!hardware.data) return null;
  const shown = hardware.data.find((one) => one.type.key === key) ?? (key ? undefined : hardware.data[0]);
  const edit = (one: TypeShown) => setEditing({ type: one.type, version: one.version });
  return (
    <div className={`fill ${styles.page}`}>
      <aside className={styles.list} aria-label="Hardware types">
        {hardware.data.map((one) => (
          <NavLink
            key={one.type.key}
            to={`/hardware/${one.type.key}`}
            aria-current={one === shown ? 'page' : undefined}
            onClick={() => setEditing(null)}
          >
            <b>
              {one.type.maker} {one.type.model}
            </b>
            <div className="quiet small">
              {one.type.kind},{' '}
              {one.uses.length === 0 ? 'not used yet' : `used ${count(one.uses.length, 'time')}`}
            </div>
            <PortPanel type={one.type} small />
          </NavLink>
        ))}
        {mayKeep && (
          <Button
            onClick={() => {
              setEditing({ type: BLANK, version: 0 });
              void navigate('/hardware');
            }}
          >
            Add a hardware type
          </Button>
        )}
      </aside>
      <div className={`scroll ${styles.main}`}>
        {editing ? (
          <TypeEditor
            key={editing.type.key + editing.version}
            {...editing}
            onDone={(saved) => {
              setEditing(null);
              if (saved && site)
                void navigate(`/sites/${site}/devices?add=${saved}&as=${params.get('as') ?? ''}`);
              else if (saved) void navigate(`/hardware/${saved}`);
            }}
          />
        ) : shown ? (
          <TypeView
            key={shown.type.key}
            shown={shown}
            onEdit={() => edit(shown)}
            onCopy={() => setEditing({ type: copyOf(shown.type), version: 0 })}
          />
        ) : key ? (
          <Notice
            title={`There is no type ${key}`}
            detail="It may have been removed. Choose one from the list."
          />
        ) : (
          <Notice
            title="No hardware types yet"
            detail="Describe each model once, as it comes out of its carton: ports, address, first password. Run sheets and wiring follow from it."
          />
        )}
      </div>
    </div>
  );
}
