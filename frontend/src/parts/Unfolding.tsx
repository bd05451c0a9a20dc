import Popover from '@mui/material/Popover';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { LinkButton } from './controls';

/** A word in the text that unfolds a small dialog under it, also when something in it is `sought`. */
export function Unfolding(props: {
  word: string;
  /** What the dialog is called. */
  label: string;
  sought?: unknown;
  wide?: boolean;
  children: ReactNode;
}) {
  const button = useRef<HTMLButtonElement>(null);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const { sought } = props;
  useEffect(() => {
    if (sought) setAnchor(button.current);
  }, [sought]);
  return (
    <>
      <LinkButton ref={button} aria-haspopup="dialog" onClick={(event) => setAnchor(event.currentTarget)}>
        {props.word}
      </LinkButton>
      <Popover
        anchorEl={anchor}
        open={anchor !== null}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
        slotProps={{ paper: { role: 'dialog', 'aria-label': props.label } }}
      >
        <div
          className="pile"
          style={{ width: props.wide ? 560 : 400, maxHeight: '60vh', overflowY: 'auto', padding: 20 }}
        >
          {props.children}
        </div>
      </Popover>
    </>
  );
}
