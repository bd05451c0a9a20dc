import Menu from '@mui/material/Menu';
import MenuItem from '@mui/material/MenuItem';
import { useState } from 'react';
import type { Choice } from './filters';
import styles from './outbound.module.css';

/** A word of the sentence that can be exchanged for another. */
export function ChoiceWord(props: {
  label: string;
  choices: Choice[];
  value: string;
  onChoose: (value: string) => void;
}) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const chosen = props.choices.find((choice) => choice.value === props.value);
  const words = chosen?.words ?? props.value;
  return (
    <>
      <button
        className={`bold ${styles.choice}`}
        aria-haspopup="menu"
        aria-label={`${props.label}: ${words}`}
        onClick={(event) => setAnchor(event.currentTarget)}
      >
        {words}
      </button>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        {props.choices.map((choice) => (
          <MenuItem
            key={choice.value}
            dense
            selected={choice.value === props.value}
            onClick={() => {
              setAnchor(null);
              props.onChoose(choice.value);
            }}
          >
            {choice.words}
          </MenuItem>
        ))}
      </Menu>
    </>
  );
}
