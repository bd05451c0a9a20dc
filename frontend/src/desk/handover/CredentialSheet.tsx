import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { failureOf } from '../../api/client';
import { Trouble } from '../../parts/Trouble';
import { useDeskState } from '../context';
import styles from './sheet.module.css';

/** Every secret of the site on paper: only on request, and noted in the journal. */
export function CredentialSheet() {
  const { name } = useDeskState();
  const queries = useQueryClient();
  const [why, setWhy] = useState('');
  const ask = useMutation({
    gcTime: 0,
    mutationFn: async () => {
      const place = [name.customer, name.site].map(encodeURIComponent).join('/');
      const response = await fetch(`/api/sites/${place}/handover/credentials.pdf`, {
        method: 'POST',
        body: JSON.stringify({ why }),
        headers: { 'X-Octaplan': '1', 'Content-Type': 'application/json' },
      });
      if (!response.ok) throw await failureOf(response);
      const address = URL.createObjectURL(await response.blob());
      const link = document.createElement('a');
      link.href = address;
      link.download = `credentials-${name.customer}-${name.site}.pdf`;
      link.click();
      window.setTimeout(() => URL.revokeObjectURL(address), 10_000);
    },
    onSuccess: () => queries.invalidateQueries({ queryKey: ['journal'] }),
  });
  return (
    <form
      className={styles.asking}
      onSubmit={(event) => {
        event.preventDefault();
        ask.mutate();
      }}
    >
      <p>
        The sheet holds <b>every secret of this site</b>, readable by anybody. Each one is noted in the
        journal, with your name. Keep it apart from the boxes, and destroy it after use.
      </p>
      <TextField
        autoFocus
        fullWidth
        label="What it is for"
        value={why}
        onChange={(event) => setWhy(event.target.value)}
        slotProps={{ htmlInput: { maxLength: 400 } }}
      />
      <Button type="submit" variant="contained" loading={ask.isPending} disabled={why.trim().length < 3}>
        Make the credential sheet
      </Button>
      {ask.isSuccess && <p role="status">It is in your downloads. Delete the file once it is printed.</p>}
      {ask.error && <Trouble>{ask.error.message}</Trouble>}
    </form>
  );
}
