import type { OutboundSite } from '../api/client';
import { dayNumber } from '../parts/words';

/** The parts of the sentence that choose sites; each has a word for every choice. */
export interface Choice {
  value: string;
  words: string;
}

export interface Filters {
  state: string;
  customer: string;
  technician: string;
  shipping: string;
  trouble: string;
}

export const STATES: Choice[] = [
  { value: '', words: 'every site' },
  { value: 'open', words: 'every site not yet clear' },
  { value: 'clear', words: 'every site clear to ship' },
  { value: 'waiting', words: 'every site waiting for a provider' },
];

export const SHIPPING: Choice[] = [
  { value: '', words: 'at any time' },
  { value: '7', words: 'in the next week' },
  { value: '14', words: 'in the next two weeks' },
  { value: '42', words: 'in the next six weeks' },
  { value: 'late', words: 'before today' },
  { value: 'never', words: 'without a date' },
];

export const TROUBLE: Choice[] = [
  { value: '', words: 'anything or nothing wrong' },
  { value: 'stop', words: 'a stop' },
  { value: 'warn', words: 'a warn still open' },
  { value: 'none', words: 'nothing wrong' },
];

export function matches(site: OutboundSite, filters: Filters, today: string): boolean {
  const days = site.ship_date ? dayNumber(site.ship_date) - dayNumber(today) : undefined;
  const shipping =
    {
      '': true,
      late: days !== undefined && days < 0,
      never: days === undefined,
    }[filters.shipping] ??
    (days !== undefined && days >= 0 && days <= Number(filters.shipping));
  const state =
    { '': true, open: !site.clear, clear: site.clear, waiting: site.waiting }[filters.state] ?? true;
  const trouble =
    { '': true, stop: site.stops > 0, warn: site.warns > 0, none: site.stops + site.warns === 0 }[
      filters.trouble
    ] ?? true;
  return (
    state &&
    shipping &&
    trouble &&
    (!filters.customer || site.customer === filters.customer) &&
    (!filters.technician || (site.technician ?? '-') === filters.technician)
  );
}

export interface Week {
  title: string;
  days: string;
}

/** The week of a ship date, counted from Monday, as people speak of it. */
export function weekOf(date: string | null, today: string): Week {
  if (!date) return { title: 'No ship date', days: '' };
  const monday = (day: number) => day - ((day + 3) % 7);
  const start = monday(dayNumber(date));
  const ahead = (start - monday(dayNumber(today))) / 7;
  const show = (day: number, month: boolean) =>
    new Date(day * 86_400_000).toLocaleDateString('en-GB', {
      timeZone: 'UTC',
      day: 'numeric',
      ...(month ? { month: 'short' } : {}),
    });
  const sameMonth = show(start, true).slice(-3) === show(start + 6, true).slice(-3);
  const days = `Mon ${show(start, !sameMonth)} – Sun ${show(start + 6, true)}`;
  if (ahead === 0) return { title: 'This week', days };
  if (ahead === 1) return { title: 'Next week', days };
  if (ahead === -1) return { title: 'Last week', days };
  return { title: `Week of ${show(start, true)}`, days: ahead < 0 ? `${-ahead} weeks ago` : '' };
}
