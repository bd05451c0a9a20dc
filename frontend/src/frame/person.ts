import { createContext, use } from 'react';
import type { Person } from '../api/client';

export const PersonContext = createContext<Person | null>(null);

/** Whether the person who is signed in may do a thing. The server asks again. */
export function useMay(thing: Person['may'][number]): boolean {
  return use(PersonContext)?.may.includes(thing) ?? false;
}

/** The person who is signed in. */
export function usePersonHere(): Person {
  const person = use(PersonContext);
  if (!person) throw new Error('outside the frame');
  return person;
}
