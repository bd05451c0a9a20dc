import { createContext, use } from 'react';
import type { Person } from '../api/client';

export const PersonContext = createContext<Person | null>(null);

/** Whether the person who is signed in may do a thing. The server asks again. */
export function useMay(thing: Person['may'][number]): boolean {
  return use(PersonContext)?.may.includes(thing) ?? false;
}
