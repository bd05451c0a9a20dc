import { createContext, use } from 'react';
import type { Desk, Failure, Finding, Operation, Plan } from '../api/client';
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

/** A change that is looked at before it is saved, or while it is made. */
export interface Drafting {
  /** The plan as it would be, or is while there is no draft. */
  plan: Plan;
  drafting: boolean;
  /** Show a change. In a preview the rail keeps the plan's findings and marks what would go. */
  show: (operations: Operation[], preview?: boolean) => void;
  /** Save a change as one revision; what it shows stays until it is saved. `on` is the revision it was begun on. */
  keep: (operations: Operation[], on?: number) => void;
  drop: () => void;
  /** The newest revision that is known: what is begun now is begun on it. */
  revision: () => number;
  problem: string;
  /** A change that somebody else's change stands against, and the choice between them. */
  clashing: { failure: Failure; operations: Operation[] } | null;
  settle: (mine: boolean) => void;
}

/** The findings of the draft, or of the plan while there is none; apart, since they change less often. */
export interface Found {
  findings: Finding[];
  drafting: boolean;
  /** In a preview: what would be found. */
  after: Finding[] | null;
}

/** The steps of a draft alone, which never change: who only takes them is not drawn anew with each. */
export type Steps = Pick<Drafting, 'show' | 'keep' | 'drop' | 'revision'>;

export const StepsContext = createContext<Steps | null>(null);

export function useSteps(): Steps {
  const steps = use(StepsContext);
  if (!steps) throw new Error('outside a desk');
  return steps;
}

export const DraftContext = createContext<Drafting | null>(null);
export const FoundContext = createContext<Found>({ findings: [], drafting: false, after: null });

export function useDrafting(): Drafting {
  const drafting = use(DraftContext);
  if (!drafting) throw new Error('outside a desk');
  return drafting;
}

export function useFound(): Found {
  return use(FoundContext);
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
