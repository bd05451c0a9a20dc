import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import type { Run } from '../../api/client';
import { usePersonHere } from '../../frame/person';
import { LISTENED, useHere } from '../../frame/useEvents';
import { LinkButton } from '../../parts/controls';
import { useDeskState } from '../context';
import styles from './bench.module.css';
import { tellPlace } from './queries';

/** Where somebody is on the bench of a site, as the server tells it. */
export interface AtStep {
  site: string;
  device: string;
  step: string;
  typing: boolean;
  name: string;
}

/** The colleagues who are at this box, newest last. */
export function useAtBench(site: string, device: string): AtStep[] {
  const person = usePersonHere();
  const here = useHere(site);
  const known = useQuery<AtStep[]>({
    queryKey: ['bench', site.toLowerCase()],
    enabled: false,
    initialData: [],
  }).data;
  return known.filter(
    (one) => one.device === device && one.name !== person.full_name && here.includes(one.name),
  );
}

/** Tell where one is: at each step, when one begins or ends to type, and whenever the server has forgotten it. */
export function useTellPlace(device: string, step: string, tells: boolean): (typing: boolean) => void {
  const { name } = useDeskState();
  const typed = useRef(false);
  const { customer, site } = name;
  useEffect(() => {
    typed.current = false;
    if (!tells || !step) return;
    const tell = () => tellPlace({ customer, site }, device, step, typed.current);
    tell();
    window.addEventListener(LISTENED, tell);
    return () => window.removeEventListener(LISTENED, tell);
  }, [customer, site, device, step, tells]);
  return (typing) => {
    if (!tells || typed.current === typing) return;
    typed.current = typing;
    tellPlace(name, device, step, typing);
  };
}

/** Who else is at this box and at which step; the way to look at what they look at. */
export function Following(props: {
  run: Run;
  others: AtStep[];
  followed: string;
  onFollow: (name: string) => void;
}) {
  const { run, others, followed, onFollow } = props;
  if (others.length === 0) return null;
  return (
    <div className={styles.following} role="status" aria-label="Who is at this box">
      {others.map((one) => {
        const number = run.steps.findIndex((step) => step.key === one.step) + 1;
        return (
          <div key={one.name}>
            <b>{one.name}</b> {one.typing ? 'types at' : 'is at'} step {number}{' '}
            <LinkButton onClick={() => onFollow(followed === one.name ? '' : one.name)}>
              {followed === one.name ? 'Stop following' : 'Follow'}
            </LinkButton>
          </div>
        );
      })}
    </div>
  );
}
