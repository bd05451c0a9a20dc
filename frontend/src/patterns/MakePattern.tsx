import { Press } from '../parts/controls';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import TextField from '@mui/material/TextField';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { useOutbound } from '../api/queries';
import { useMakePattern } from './queries';

/** A new pattern: its name, and the site that it is to be like. */
export function MakePattern({ like = '', onClose }: { like?: string; onClose: () => void }) {
  const outbound = useOutbound();
  const make = useMakePattern();
  const navigate = useNavigate();
  const [name, setName] = useState('');
  const [site, setSite] = useState(like);
  const sites = outbound.data?.sites ?? [];
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" aria-labelledby="make-pattern">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate(
            { name, ...(site.trim() ? { like: site.trim() } : {}) },
            { onSuccess: ({ key }) => void navigate(`/patterns/${key}`) },
          );
        }}
      >
        <DialogTitle id="make-pattern">New pattern</DialogTitle>
        <DialogContent sx={{ display: 'grid', gap: 2, pt: '8px !important' }}>
          <TextField
            autoFocus
            label="Name"
            placeholder="Shop with tills"
            value={name}
            error={make.isError}
            helperText={make.error?.message}
            onChange={(event) => setName(event.target.value)}
            slotProps={{ inputLabel: { shrink: true }, htmlInput: { maxLength: 80 } }}
          />
          <TextField
            label="Like the site (empty: begin with nothing)"
            placeholder="CUSTOMER/SITE"
            value={site}
            onChange={(event) => setSite(event.target.value)}
            slotProps={{
              inputLabel: { shrink: true },
              htmlInput: { maxLength: 81, list: 'sites-to-be-like', spellCheck: false },
            }}
          />
          <datalist id="sites-to-be-like">
            {sites.slice(0, 500).map((one) => (
              <option key={`${one.customer}/${one.site}`} value={`${one.customer}/${one.site}`}>
                {one.name}
              </option>
            ))}
          </datalist>
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Leave it</Button>
          <Press
            type="submit"
            variant="contained"
            waits={name.trim().length < 3 ? 'write a name of at least 3 letters' : ''}
            loading={make.isPending}
          >
            Make it
          </Press>
        </DialogActions>
      </form>
    </Dialog>
  );
}
