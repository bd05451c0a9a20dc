import type { Finding } from '../api/client';
import type { SiteName } from '../api/queries';
import { deskPath } from '../parts/words';

/** Where the value stands that a finding would have mended. */
export function placeOf(name: SiteName, finding: Pick<Finding, 'path' | 'field' | 'stage'>): string {
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
