import type { ReactNode } from 'react';

/** A page that has nothing else to show: what is so, and what to do. */
export function Notice({ title, detail, children }: { title: string; detail: string; children?: ReactNode }) {
  return (
    <div style={{ maxWidth: 560, margin: '96px auto', padding: '0 16px' }}>
      <h1 style={{ fontSize: 20, lineHeight: '28px' }}>{title}</h1>
      <p className="quiet">{detail}</p>
      {children}
    </div>
  );
}
