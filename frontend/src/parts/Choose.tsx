import Autocomplete from '@mui/material/Autocomplete';
import { useMemo } from 'react';

/** One of many customers or sites: its code, and what it is called. */
export interface One {
  code: string;
  name: string;
  /** What is said of it beside its name. */
  about?: string;
}

/** So many are listed at once; what is typed finds the others. */
const LISTED = 60;

/** Those in whose code or name every word that was typed occurs, those whose code begins so first. */
export function named(all: One[], typed: string): One[] {
  const words = typed
    .toLowerCase()
    .split(/[\s()]+/)
    .filter(Boolean);
  const found = all.filter(({ code, name }) => {
    const text = `${code} ${name}`.toLowerCase();
    return words.every((word) => text.includes(word));
  });
  const begins = ({ code }: One) => (words[0] && code.toLowerCase().startsWith(words[0]) ? 0 : 1);
  return found.sort((a, b) => begins(a) - begins(b)).slice(0, LISTED);
}

interface Props {
  label: string;
  /** The code of the one that is chosen. */
  value: string;
  of: One[];
  width?: number;
  onChoose: (code: string) => void;
}

/** A customer or a site, chosen inside a sentence by typing some of its code or name, as on Go to. */
export function Choose({ label, value, of, width = 240, onChoose }: Props) {
  const called = of.find(({ code }) => code === value)?.name ?? value;
  // the same object as long as the same is chosen: what is being typed would be lost with another
  const chosen = useMemo<One>(() => ({ code: value, name: called }), [value, called]);
  return (
    <Autocomplete<One, false, true>
      sx={{ display: 'inline-flex', width, maxWidth: '100%', verticalAlign: 'baseline' }}
      disableClearable
      autoHighlight
      selectOnFocus
      openOnFocus
      value={chosen}
      options={of}
      filterOptions={(all, { inputValue }) =>
        inputValue === chosen.name ? all.slice(0, LISTED) : named(all, inputValue)
      }
      getOptionLabel={({ name }) => name}
      getOptionKey={({ code }) => code}
      isOptionEqualToValue={(one, other) => one.code === other.code}
      noOptionsText="None is called so"
      onChange={(_, { code }) => onChoose(code)}
      slotProps={{ popper: { style: { width: Math.max(width, 360) }, placement: 'bottom-start' } }}
      renderOption={({ key, ...props }, { code, name, about }) => (
        <li key={key} {...props}>
          <span className="fill">
            {name}
            {about && <span className="quiet">: {about}</span>}
          </span>
          <span className="mono quiet">{code}</span>
        </li>
      )}
      renderInput={({ slotProps }) => (
        <span ref={slotProps.input.ref} className="line tight fill" style={{ position: 'relative' }}>
          <input {...slotProps.htmlInput} aria-label={label} maxLength={100} className="choose fill" />
          {slotProps.input.endAdornment}
        </span>
      )}
    />
  );
}
