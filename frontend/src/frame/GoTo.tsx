import Autocomplete from '@mui/material/Autocomplete';
import { useDeferredValue, useRef, useState } from 'react';
import { useNavigate } from 'react-router';
import { useCustomers, useGoTo } from '../api/queries';
import { Key } from '../parts/Marks';
import { useKeys } from '../parts/useKeys';
import {
  askedTo,
  beyondTo,
  customersFor,
  lastFirst,
  lastPlaces,
  pagesFor,
  placeTo,
  remember,
  spaceFor,
  type Destination,
} from './destinations';
import styles from './goto.module.css';
import { usePersonHere } from './person';

/** One field that finds sites, addresses, MACs, names, customers and pages; `/` leads to it from anywhere. */
export function GoTo() {
  const [text, setText] = useState('');
  const [opened, setOpened] = useState(false);
  const asked = useDeferredValue(text);
  const answer = useGoTo(asked);
  const field = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const { may } = usePersonHere();

  useKeys((pressed) => {
    if (pressed !== '/') return false;
    field.current?.focus();
    field.current?.select();
    return true;
  });

  const go = (place: Destination) => {
    setText('');
    field.current?.blur();
    remember(place);
    void navigate(place.to);
  };
  const typed = text.trim() !== '';
  const customers = useCustomers(opened);
  const last = opened ? lastPlaces() : [];
  // nothing is offered before it has been looked up: what is there first stays highlighted, and is what Enter leads to
  const answered = asked === text && !answer.isPending && !answer.isPlaceholderData;
  const said = answer.error
    ? `It could not be looked up. ${answer.error.message}`
    : (answer.data?.understood ?? '');
  const found = () => [
    ...lastFirst((answer.data?.places ?? []).map(placeTo), last),
    ...(answer.data?.asked ?? []).map(askedTo),
    ...(answer.data?.beyond ?? []).map(beyondTo),
    ...spaceFor(text),
    ...customersFor(text, customers.data ?? {}),
    ...pagesFor(text, may),
  ];
  const options = typed ? (answered ? found() : []) : last;

  return (
    <Autocomplete<Destination>
      autoHighlight
      openOnFocus
      forcePopupIcon={false}
      open={opened && (typed ? !answer.isPending : last.length > 0)}
      onOpen={() => setOpened(true)}
      onClose={() => setOpened(false)}
      noOptionsText={(answered && said) || 'Looking…'}
      options={options}
      filterOptions={(all) => all}
      getOptionLabel={(place) => place.name}
      getOptionKey={(place) => `${place.to} ${place.kind} ${place.addresses} ${place.name}`}
      groupBy={() => (typed ? said : 'Last places')}
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
          <span className="fill">
            {place.name}
            <span className="quiet"> {place.detail}</span>
          </span>
          <span className="mono">{place.addresses}</span>
        </li>
      )}
      renderInput={({ slotProps }) => (
        <div ref={slotProps.input.ref} className={`line tight ${styles.field}`}>
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
            className={`fill ${styles.input}`}
          />
          <Key>/</Key>
        </div>
      )}
    />
  );
}
