import { useState } from 'react';
import { useSearchParams } from 'react-router';
import { useCustomers } from '../api/queries';
import { useCustomer } from '../customers/queries';
import { usePatterns, usePreviewRollout, useRollOut, type Wish } from './queries';

/** What stands in the choice of customers for one that has no sites yet; no code can be like it. */
export const NEW = '~';

/** What is wished for of a rollout, what it would make, and what it made. A changed wish has to be looked at again. */
export function useRollout() {
  const [search, setSearch] = useSearchParams();
  const patterns = usePatterns();
  const customers = useCustomers(true);
  const preview = usePreviewRollout();
  const make = useRollOut();
  const ready = (patterns.data ?? []).filter((pattern) => pattern.version > 0);
  const key = search.get('pattern') ?? ready[0]?.key ?? '';
  const pattern = ready.find((one) => one.key === key);
  const code = search.get('customer') ?? '';
  const fresh = search.has('new');
  const customer = useCustomer(fresh ? '' : code);
  const [typed, setTyped] = useState<string | null>(null);
  const [reserved, setReserved] = useState('');
  const [growth, setGrowth] = useState(0);
  const [table, setTable] = useState('');
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const blocks = typed ?? customer.data?.blocks.map((one) => one.block).join(' ') ?? '';
  const waiting = customer.data?.without_segments ?? [];
  const wish: Wish = {
    pattern: key,
    version: pattern?.version ?? 1,
    customer: customer.data?.code ?? code,
    blocks: list(blocks),
    reserved: list(reserved),
    growth,
    sites: waiting.filter((site) => !left.has(site)),
    table,
  };
  const changing =
    <T>(change: (value: T) => void) =>
    (value: T) => {
      change(value);
      preview.reset();
      make.reset();
    };
  const choose = (field: string) =>
    changing((value: string) => {
      const next = new URLSearchParams(search);
      next.set(field, value);
      setSearch(next, { replace: true });
    });
  const chooseCustomer = changing((value: string) => {
    const next = new URLSearchParams(search);
    next.set('customer', value === NEW ? '' : value);
    if (value === NEW) next.set('new', '');
    else next.delete('new');
    setSearch(next, { replace: true });
    setTyped(null);
    setLeft(new Set());
  });
  return {
    ...{ customers, customer, ready, pattern, key, code, fresh, wish, preview, make },
    ...{ blocks, reserved, growth, table, left, waiting, chooseCustomer },
    choosePattern: choose('pattern'),
    typeCode: choose('customer'),
    setBlocks: changing(setTyped),
    setReserved: changing(setReserved),
    setGrowth: changing(setGrowth),
    setTable: changing(setTable),
    setLeft: changing(setLeft),
  };
}

export type Rolling = ReturnType<typeof useRollout>;

function list(text: string): string[] {
  return text.split(/[\s,;]+/).filter(Boolean);
}
