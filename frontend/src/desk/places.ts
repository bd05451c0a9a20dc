import type { Finding } from '../api/client';
import type { SiteName } from '../api/queries';
import { deskPath } from '../parts/words';

/** Where the value stands that a finding would have mended; of one about a pair of places, that pair on Traffic. */
export function placeOf(
  name: SiteName,
  finding: Pick<Finding, 'path' | 'field' | 'stage' | 'addresses' | 'subject'>,
): string {
  if (finding.stage === 'traffic' && !finding.path.startsWith('/devices')) {
    const [pair = ''] = finding.addresses.split(', ');
    const [from, to] = pair.includes(' → ') ? pair.split(' → ') : [finding.subject, 'internet'];
    if (from && to) {
      const query = new URLSearchParams({ from, to });
      return `${deskPath(name, finding.stage)}?${query.toString()}`;
    }
  }
  return `${deskPath(name, finding.stage)}#${finding.path}/${finding.field}`;
}

/** The member that a longer path leads into: `/segments/k3f9q/scope` is in `/segments/k3f9q`. */
export function memberOf(path: string): string {
  const parts = path.split('/');
  return parts[1] === 'safe' ? parts.slice(0, 5).join('/') : parts.slice(0, 3).join('/');
}

/** The places to look for on a page, the most exact first. */
export function placesToTry(place: string): string[] {
  const places = [place];
  while (place.split('/').length > 4) {
    place = place.slice(0, place.lastIndexOf('/'));
    places.push(place);
  }
  return places;
}
