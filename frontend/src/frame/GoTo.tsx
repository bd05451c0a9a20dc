import Autocomplete from '@mui/material/Autocomplete';
import { useDeferredValue, useEffect, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import type { Schemas } from '../api/client';
import { useGoTo } from '../api/queries';
import { pageOf } from '../desk/places';
import { Key } from '../parts/Marks';
import { deskPath } from '../parts/words';
import styles from './goto.module.css';

type Place = Schemas['PlaceShown'];

/** One field that finds sites, addresses, MACs and names; `/` leads to it from anywhere. */
export function GoTo() {
  const [text, setText] = useState('');
  const [opened, setOpened] = useState(false);
  const answer = useGoTo(useDeferredValue(text));
  const field = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();

  useEffect(() => {
    const slash = (event: KeyboardEvent) => {
      const typing = event.target instanceof Element && event.target.closest('input, textarea, select');
      if (event.key === '/' && !typing && !event.ctrlKey && !event.metaKey) {
        event.preventDefault();
        field.current?.focus();
        field.current?.select();
      }
    };
    window.addEventListener('keydown', slash);
    return () => window.removeEventListener('keydown', slash);
  }, []);

  const go = (place: Place) => {
    setText('');
    field.current?.blur();
    void navigate(`${deskPath(place, pageOf(place.path))}${place.path ? `#${place.path}` : ''}`);
  };

  return (
    <Autocomplete<Place>
      autoHighlight
      forcePopupIcon={false}
      open={opened && text.trim() !== '' && answer.data !== undefined}
      onOpen={() => setOpened(true)}
      onClose={() => setOpened(false)}
      noOptionsText={answer.data?.understood || 'Looking…'}
      options={text.trim() ? (answer.data?.places ?? []) : []}
      filterOptions={(places) => places}
      getOptionLabel={(place) => place.name}
      getOptionKey={(place) => `${place.customer}/${place.site}${place.path}${place.kind}${place.addresses}`}
      groupBy={() => answer.data?.understood ?? ''}
      renderGroup={(group) => (
        <li key={group.key}>
          {group.group && <div className={styles.understood}>{group.group}</div>}
          <ul className={styles.group}>{group.children}</ul>
        </li>
      )}
      inputValue={text}
      value={null}
      onInputChange={(_, value, reason) => reason !== 'reset' && setText(value)}
      onChange={(_, place) => place && go(place)}
      slotProps={{
        paper: { className: styles.paper ?? '' },
        popper: { style: { width: 520 }, placement: 'bottom-start' },
      }}
      renderOption={({ key, ...props }, place) => (
        <li key={key} {...props}>
          <span className={styles.kind}>{place.kind}</span>
          <span className={styles.name}>
            {place.name}
            <span className="quiet">
              {' '}
              {place.site_name} {place.customer}/{place.site}
            </span>
          </span>
          <span className="mono">{place.addresses}</span>
        </li>
      )}
      renderInput={({ slotProps }) => (
        <div ref={slotProps.input.ref} className={styles.field}>
          <input
            {...slotProps.htmlInput}
            ref={(element) => {
              field.current = element;
              const inner = slotProps.htmlInput.ref;
              if (typeof inner === 'function') inner(element);
              else if (inner) inner.current = element;
            }}
            aria-label="Go to a site, address, MAC, name"
            placeholder="Go to a site, address, MAC, name"
            maxLength={100}
            className={styles.input}
          />
          <Key>/</Key>
        </div>
      )}
    />
  );
}
