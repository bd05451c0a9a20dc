/** What sort of character it is, so that capital and small letters, digits and signs are told apart. */
export type Sort = 'small' | 'capital' | 'digit' | 'sign';

export function sortOf(character: string): Sort {
  if (/\p{Nd}/u.test(character)) return 'digit';
  if (/\p{Lu}/u.test(character)) return 'capital';
  return /\p{L}/u.test(character) ? 'small' : 'sign';
}
