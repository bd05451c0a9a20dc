import written from '../api/fields.json';
import { lease } from './words';

/** How a value is written in a field. */
type Form = 'plain' | 'words' | 'parts' | 'mask' | 'lease' | 'runs' | 'options';

/** One field of the plan as the core describes it (`make docs`); `name` is its place in its member. */
export interface PlanField {
  name: string;
  label: string;
  words: string;
  form: Form;
  needed: boolean;
  hint: string;
  /** How it is written that there are none of several. */
  none: string;
  choices: [value: string, words: string][];
}

type Kind = keyof typeof written;

/** The fields of each kind of member, in their order. */
export const FIELDS = written as unknown as Record<Kind, PlanField[]>;

/** One field, which must be there. */
export function fieldOf(kind: Kind, name: string): PlanField {
  const found = FIELDS[kind].find((field) => field.name === name);
  if (!found) throw new Error(`There is no field ${kind}/${name}`);
  return found;
}

/** What a value that can be chosen is called. */
export function choiceOf(kind: Kind, name: string, value: string | null): string | undefined {
  return fieldOf(kind, name).choices.find(([choice]) => choice === value)?.[1];
}

/** The value of a field in its member, as text that reads back. */
export function textOf(field: PlanField, member: object): string {
  const value = field.name
    .split('/')
    .reduce<unknown>((part, name) => (part as Record<string, unknown> | null)?.[name], member);
  if (value === null || value === undefined) return '';
  switch (field.form) {
    case 'words':
      return (value as string[]).join(' ');
    case 'parts':
      return (value as string[]).join('; ') || field.none;
    case 'mask':
      return `/${value as number}`;
    case 'lease':
      return lease(value as number);
    case 'runs':
      return (value as { kind: string; run: string }[]).map(({ kind, run }) => `${kind} ${run}`).join('; ');
    case 'options':
      return Object.entries(value as Record<string, string>)
        .map(([number, text]) => `${number} ${text}`)
        .join('; ');
    case 'plain':
      return typeof value === 'boolean' ? (value ? 'yes' : 'no') : String(value);
  }
}
