import { describe, expect, it } from 'vitest';
import type { Plan } from '../../api/client';
import { cellWords, shortServices, step, tally } from './matrix';
import { publishedAt, publishedWords, withPublished } from './published';
import type { Cell, Matrix } from './queries';

const place = (key: string) => ({ key, label: key, role: null });
const cell = (values: Partial<Cell>) =>
  ({
    agrees: true,
    unknown: '',
    meant: 'open',
    result: 'passes',
    does: 'any',
    services: 'any',
    ...values,
  }) as Cell;

describe('the matrix', () => {
  const matrix = { rows: ['a', 'b', 'c'].map(place), columns: ['a', 'b', 'c', 'd'].map(place) } as Matrix;

  it('is walked by arrow keys and stays at its edges', () => {
    expect(step(matrix, [0, 0], 'ArrowUp')).toEqual([0, 0]);
    expect(step(matrix, [0, 0], 'ArrowRight')).toEqual([0, 1]);
    expect(step(matrix, [2, 3], 'ArrowDown')).toEqual([2, 3]);
    expect(step(matrix, [1, 2], 'End')).toEqual([1, 3]);
    expect(step(matrix, [1, 2], 'PageUp')).toEqual([0, 2]);
    expect(step(matrix, [1, 2], 'x')).toEqual([1, 2]);
  });

  it('says a cell in words, for whoever does not see it', () => {
    expect(cellWords('Guest', 'Office', cell({ meant: 'closed', agrees: false }))).toBe(
      'Guest to Office: meant closed, everything passes, not as it is meant',
    );
    expect(
      cellWords(
        'Office',
        'Mail',
        cell({ meant: 'services', services: 'tcp/25', result: 'partly', does: 'tcp/25' }),
      ),
    ).toBe('Office to Mail: meant open for tcp/25, tcp/25 passes');
    expect(cellWords('a', 'b', cell({ unknown: '/circuits/x/gateway' }))).toContain('still open');
  });

  it('counts what is otherwise than meant, and what is not known apart', () => {
    const cells = [cell({}), cell({ agrees: false }), cell({ agrees: false, unknown: '/x' })];
    expect(tally(cells)).toEqual({ walked: 3, amiss: 1, open: 1 });
  });

  it('writes services as short as a cell is wide', () => {
    expect(shortServices('tcp/443')).toBe('443');
    expect(shortServices('tcp/53, udp/53')).toBe('53');
    expect(shortServices('tcp/21, tcp/22, udp/53')).toBe('21…');
  });
});

describe('what is published', () => {
  const one = { circuit: 'line', address: null, service: 'tcp/443', host: 'mail', port: 8443, sources: [] };
  const further = { ...one, address: '203.0.113.20', service: 'any', port: null, sources: ['192.0.2.0/24'] };
  const plan = {
    circuits: { line: { label: 'Main', address: '203.0.113.18', uses: { '203.0.113.21': 'spare' } } },
    hosts: { mail: { name: 'mail server', address: '10.40.8.5' } },
    devices: { edge: { publications: { a: one, b: further } } },
  } as unknown as Plan;

  it('is told as a sentence', () => {
    expect(publishedWords(plan, one)).toBe(
      'tcp/443 at 203.0.113.18 leads to mail server 10.40.8.5, there at port 8443, from anywhere',
    );
    expect(publishedWords(plan, { ...one, host: 'gone' })).toContain('a host that has been removed');
  });

  it('stands at its address on the block', () => {
    expect(publishedAt(plan, 'line', null)).toEqual(['tcp/443 for mail server']);
    expect(publishedAt(plan, 'line', '203.0.113.20')).toEqual(['everything for mail server']);
    const line = plan.circuits['line'];
    expect(line && withPublished(plan, 'line', line)).toEqual({
      '203.0.113.20': 'mail server',
      '203.0.113.21': 'spare',
    });
  });
});
