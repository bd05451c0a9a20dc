import { createContext, use } from 'react';
import type { Desk } from '../api/client';
import type { SiteName } from '../api/queries';

/** What every part of a desk needs: the site, its newest state, and the member that a finding lights up. */
export interface DeskState {
  name: SiteName;
  desk: Desk;
  mayPlan: boolean;
  lit: string | null;
  light: (path: string | null) => void;
}

export const DeskContext = createContext<DeskState | null>(null);

export function useDeskState(): DeskState {
  const state = use(DeskContext);
  if (!state) throw new Error('outside a desk');
  return state;
}
