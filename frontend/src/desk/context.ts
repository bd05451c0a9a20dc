import { createContext, use } from 'react';
import type { Desk, Operation } from '../api/client';
import type { SiteName } from '../api/queries';

/** What every part of a desk needs: the site, its newest state, and the way to change it. */
export interface DeskState {
  name: SiteName;
  desk: Desk;
  mayPlan: boolean;
  save: (what: { operations: Operation[]; revision: number }) => Promise<Desk>;
}

/** The member that a finding or the pointer lights up, apart so that pointing redraws little. */
export interface Light {
  lit: string | null;
  light: (path: string | null) => void;
}

export const DeskContext = createContext<DeskState | null>(null);
export const LightContext = createContext<Light>({ lit: null, light: () => undefined });

export function useDeskState(): DeskState {
  const state = use(DeskContext);
  if (!state) throw new Error('outside a desk');
  return state;
}

export function useLight(): Light {
  return use(LightContext);
}
