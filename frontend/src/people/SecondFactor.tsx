import { Press } from '../parts/controls';
import Button from '@mui/material/Button';
import TextField from '@mui/material/TextField';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, body } from '../api/client';
import { Trouble } from '../parts/Trouble';
import styles from './people.module.css';

/** The second factor of one's own account: to turn on, to replace, to turn off. */
export function SecondFactor({ on }: { on: boolean }) {
  const [codes, setCodes] = useState<string[] | null>(null);
  return (
    <section className={`pile start ${styles.part}`} aria-label="Second factor">
      <h2>Second factor</h2>
      {codes ? (
        <RecoveryCodes codes={codes} onDone={() => setCodes(null)} />
      ) : (
        <>
          <p>
            {on
              ? 'It is on: signing in asks for a code of your authenticator app, or for a recovery code.'
              : 'A code from an authenticator app besides the password (RFC 6238). It is off.'}
          </p>
          <SetUp on={on} onCodes={setCodes} />
          {on && <TurnOff />}
        </>
      )}
    </section>
  );
}

function SetUp({ on, onCodes }: { on: boolean; onCodes: (codes: string[]) => void }) {
  const queries = useQueryClient();
  const [proof, setProof] = useState({ password: '', code: '' });
  const [code, setCode] = useState('');
  const begin = useMutation({
    gcTime: 0,
    mutationFn: async () => body(await api.POST('/api/session/second-factor', { body: proof })),
    onSuccess: () => setProof({ password: '', code: '' }),
  });
  const confirm = useMutation({
    mutationFn: async () => body(await api.PUT('/api/session/second-factor', { body: { code } })),
    onSuccess: ({ codes }) => {
      onCodes(codes);
      return queries.invalidateQueries({ queryKey: ['session'] });
    },
  });
  if (!begin.data)
    return (
      <form
        className="pile start wide"
        onSubmit={(event) => {
          event.preventDefault();
          begin.mutate();
        }}
      >
        <ProofFields on={on} proof={proof} onChange={setProof} />
        {begin.error && <Trouble>{begin.error.message}.</Trouble>}
        <Button type="submit" variant="outlined" loading={begin.isPending} disabled={!proof.password}>
          {on ? 'Replace it' : 'Turn it on'}
        </Button>
      </form>
    );
  return (
    <form
      className="pile start wide"
      onSubmit={(event) => {
        event.preventDefault();
        confirm.mutate();
      }}
    >
      <p>Scan this with the app, or type the key, then confirm with a code that it shows.</p>
      <img src={begin.data.picture} alt="QR code for the authenticator app" width={190} height={190} />
      <p className="mono">{/secret=([A-Z2-7]+)/.exec(begin.data.address)?.[1]?.replace(/(.{4})/g, '$1 ')}</p>
      <CodeField code={code} onChange={setCode} />
      {confirm.error && <Trouble>{confirm.error.message}.</Trouble>}
      <Button type="submit" variant="contained" loading={confirm.isPending} disabled={code.trim().length < 6}>
        Confirm
      </Button>
    </form>
  );
}

function TurnOff() {
  const queries = useQueryClient();
  const [proof, setProof] = useState({ password: '', code: '' });
  const drop = useMutation({
    mutationFn: async () => api.POST('/api/session/second-factor/off', { body: proof }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['session'] }),
  });
  return (
    <form
      className="pile start wide"
      aria-label="Turn the second factor off"
      onSubmit={(event) => {
        event.preventDefault();
        drop.mutate();
      }}
    >
      <h3>Turn it off</h3>
      <ProofFields on proof={proof} onChange={setProof} />
      {drop.error && <Trouble>{drop.error.message}.</Trouble>}
      <Press
        type="submit"
        variant="outlined"
        loading={drop.isPending}
        waits={!proof.password || proof.code.trim().length < 6 ? 'write the password and the code' : ''}
      >
        Turn it off
      </Press>
    </form>
  );
}

interface Proof {
  password: string;
  code: string;
}

function ProofFields(props: { on: boolean; proof: Proof; onChange: (proof: Proof) => void }) {
  const { on, proof, onChange } = props;
  return (
    <>
      <TextField
        label="Your password"
        type="password"
        autoComplete="current-password"
        value={proof.password}
        onChange={(event) => onChange({ ...proof, password: event.target.value })}
        slotProps={{ htmlInput: { maxLength: 200 } }}
      />
      {on && <CodeField code={proof.code} onChange={(code) => onChange({ ...proof, code })} />}
    </>
  );
}

function CodeField({ code, onChange }: { code: string; onChange: (code: string) => void }) {
  return (
    <TextField
      label="Code"
      value={code}
      autoComplete="one-time-code"
      onChange={(event) => onChange(event.target.value)}
      slotProps={{ htmlInput: { maxLength: 40 } }}
    />
  );
}

function RecoveryCodes({ codes, onDone }: { codes: string[]; onDone: () => void }) {
  return (
    <>
      <p>
        It is on, and your other sessions have ended. Keep these recovery codes where you find them without
        your telephone: each stands in for a code once. They are not shown again.
      </p>
      <ol className={styles.codes} aria-label="Recovery codes">
        {codes.map((code) => (
          <li key={code} className="mono">
            {code}
          </li>
        ))}
      </ol>
      <Button variant="contained" onClick={onDone}>
        I have kept them
      </Button>
    </>
  );
}
