import type { Finding, Segment } from '../api/client';

type Severity = Finding['severity'];

const WORDS: Record<Severity | 'clear', string> = {
  stop: 'stop',
  warn: 'warn',
  note: 'note',
  clear: 'clear',
};

/** Severity by shape as well as colour: octagon, half-filled diamond, open circle, tick. */
export function SeverityMark({ of, size = 14 }: { of: Severity | 'clear'; size?: number }) {
  const colour = `var(--${of})`;
  return (
    <svg
      width={size}
      height={size}
      viewBox="0 0 16 16"
      role="img"
      aria-label={WORDS[of]}
      style={{ flex: 'none' }}
    >
      {of === 'stop' && <path d="M5 1h6l4 4v6l-4 4H5l-4-4V5z" fill={colour} />}
      {of === 'warn' && (
        <>
          <path d="M8 1l7 7H1z" fill={colour} />
          <path d="M8 1l7 7-7 7-7-7z" fill="none" stroke={colour} strokeWidth="1.5" />
        </>
      )}
      {of === 'note' && <circle cx="8" cy="8" r="6" fill="none" stroke={colour} strokeWidth="2" />}
      {of === 'clear' && <path d="M2 8.5l4 4 8-9" fill="none" stroke={colour} strokeWidth="2.4" />}
    </svg>
  );
}

/** For each role its two letters and its hue. */
export const ROLES: Record<Segment['role'], { mark: string; hue: string; word: string }> = {
  office: { mark: 'OF', hue: '#2F5D8A', word: 'office' },
  voice: { mark: 'VO', hue: '#7A4B8C', word: 'voice' },
  guest: { mark: 'GU', hue: '#56722A', word: 'guest' },
  cameras: { mark: 'CA', hue: '#8A4B2F', word: 'cameras' },
  servers: { mark: 'SE', hue: '#6E5A14', word: 'servers' },
  management: { mark: 'MG', hue: '#48555A', word: 'management' },
  wireless: { mark: 'WL', hue: '#1F6A73', word: 'wireless' },
  transit: { mark: 'TR', hue: '#8A2F5B', word: 'transit' },
  isolated: { mark: 'IS', hue: '#5E4B8A', word: 'isolated' },
  other: { mark: 'OT', hue: '#5A6266', word: 'other' },
};

/** The roles as options of a choice. */
export function RoleOptions() {
  return Object.entries(ROLES).map(([value, { word }]) => (
    <option key={value} value={value}>
      {word}
    </option>
  ));
}

export function RoleMark({ role }: { role: Segment['role'] }) {
  const { mark, hue, word } = ROLES[role];
  return (
    <span
      title={word}
      style={{
        font: '600 11px/16px var(--mono)',
        width: 24,
        textAlign: 'center',
        borderRadius: 3,
        color: '#fff',
        background: hue,
        flex: 'none',
      }}
    >
      {mark}
    </span>
  );
}

export function Key({ children }: { children: string }) {
  return (
    <kbd
      style={{
        border: '1px solid currentColor',
        borderRadius: 3,
        font: '11px/14px var(--mono)',
        padding: '0 4px',
      }}
    >
      {children}
    </kbd>
  );
}

type Stage = 'done' | 'open' | 'trouble';

/** A stage by shape: filled with a tick, hollow, or filled with a bar. */
export function StageMark({
  stage,
  here = false,
  size = 12,
}: {
  stage: Stage;
  here?: boolean;
  size?: number;
}) {
  const colour = { done: 'var(--clear)', open: 'var(--quiet)', trouble: 'var(--stop)' }[stage];
  return (
    <svg width={size} height={size} viewBox="0 0 16 16" role="img" aria-label={stage}>
      <path
        d="M8 .8L15.2 8 8 15.2.8 8z"
        fill={stage === 'open' ? 'var(--panel)' : colour}
        stroke={here && stage === 'open' ? 'var(--primary)' : colour}
        strokeWidth={here ? 2.4 : 1.3}
      />
      {stage === 'done' && (
        <path d="M5 8.2l2.2 2.3L11 5.8" fill="none" stroke="var(--panel)" strokeWidth="1.8" />
      )}
      {stage === 'trouble' && <path d="M8 4.5v4.4M8 10.6v1.4" stroke="var(--panel)" strokeWidth="1.8" />}
    </svg>
  );
}
