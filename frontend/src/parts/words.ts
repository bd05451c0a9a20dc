const DAYS = ['Sun', 'Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat'];
const DAY = 86_400_000;

/** Days since 1970 of an ISO date. */
export function dayNumber(iso: string): number {
  return Math.round(Date.parse(`${iso}T00:00:00Z`) / DAY);
}

/** `Thu 2026-12-03` */
export function dated(iso: string): string {
  return `${DAYS[new Date(dayNumber(iso) * DAY).getUTCDay()]} ${iso}`;
}

/** How far a date is from another: `today`, `in 9 days`, `3 days ago`. */
export function away(iso: string, today: string): string {
  const days = dayNumber(iso) - dayNumber(today);
  if (days === 0) return 'today';
  return days > 0 ? `in ${count(days, 'day')}` : `${count(-days, 'day')} ago`;
}

/** `1 stop`, `2 stops`, `1,016 addresses` */
export function count(number: number | bigint, noun: string, nouns = `${noun}s`): string {
  return `${number.toLocaleString('en-GB')} ${number === 1 || number === 1n ? noun : nouns}`;
}

/** The time of day, with the date when it is not today, or always. */
export function moment(iso: string, always = false): string {
  const at = new Date(iso);
  const time = at.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' });
  const day = `${at.getFullYear()}-${String(at.getMonth() + 1).padStart(2, '0')}-${String(at.getDate()).padStart(2, '0')}`;
  return !always && at.toDateString() === new Date().toDateString() ? time : `${dated(day)} ${time}`;
}

/** Today where the browser is, as an ISO date. */
export function localToday(): string {
  const now = new Date();
  return new Date(now.getTime() - now.getTimezoneOffset() * 60_000).toISOString().slice(0, 10);
}

/** A lease as people write it. */
export function lease(seconds: number | null): string {
  if (seconds === null) return '';
  for (const [unit, size] of [
    ['d', 86_400],
    ['h', 3_600],
    ['m', 60],
  ] as const) {
    if (seconds % size === 0) return `${seconds / size}${unit}`;
  }
  return `${seconds}`;
}

/** The customer whose sites are patterns. */
export const PATTERNS = '~patterns';

/** The path of a site's desk, or of a pattern's. */
export function deskPath(site: { customer: string; site: string }, page = 'addresses'): string {
  if (site.customer === PATTERNS) return `/patterns/${encodeURIComponent(site.site)}`;
  return `/sites/${encodeURIComponent(site.customer)}/${encodeURIComponent(site.site)}/${page}`;
}
