import { useEffect, useMemo, useState } from 'react';
import { Outlet, useLocation, useNavigate, useParams } from 'react-router';
import { useDesk, useRevise } from '../api/queries';
import { remember } from '../frame/destinations';
import { useMay } from '../frame/person';
import { Notice } from '../parts/Notice';
import { deskPath } from '../parts/words';
import { DeskContext, DraftContext, FoundContext, LightContext, StepsContext } from './context';
import styles from './desk.module.css';
import { DeskHeader, STAGES } from './DeskHeader';
import { FindingsRail } from './FindingsRail';
import { memberOf, placesToTry } from './places';
import { useDraft } from './useDraft';

/** One site: its header, the page of the stage, and the findings at the right. */
export function DeskPage() {
  const { customer = '', site = '' } = useParams();
  const name = useMemo(() => ({ customer, site }), [customer, site]);
  const desk = useDesk(name);
  const mayPlan = useMay('plan');
  const [lit, light] = useState<string | null>(null);
  const navigate = useNavigate();
  const { hash, key, pathname } = useLocation();
  const wide = pathname.includes('/bench');
  const ready = desk.data !== undefined;

  useEffect(() => {
    const number = (event: KeyboardEvent) => {
      const typing =
        event.target instanceof Element && event.target.closest('input, textarea, select, [role=dialog]');
      const stage = STAGES[Number(event.key) - 1];
      if (stage && !typing && !event.ctrlKey && !event.metaKey && !event.altKey) {
        void navigate(deskPath(name, stage.page));
      }
    };
    window.addEventListener('keydown', number);
    return () => window.removeEventListener('keydown', number);
  }, [name, navigate]);

  useEffect(() => {
    if (!ready || !hash) return;
    const place = decodeURIComponent(hash.slice(1));
    const field = placesToTry(place)
      .map((one) => document.querySelector<HTMLElement>(`[data-field="${CSS.escape(one)}"]`))
      .find(Boolean);
    const member = document.querySelector(`[data-path="${CSS.escape(memberOf(place))}"]`);
    (field ?? member)?.scrollIntoView({ block: 'center' });
    field?.focus({ preventScroll: true });
  }, [hash, ready, key]);

  const known = desk.data?.summary.name;
  useEffect(() => {
    const detail = `${customer}/${site}`;
    if (known) remember({ to: deskPath(name), kind: 'site', name: known, detail, addresses: '' });
  }, [known, name, customer, site]);

  const save = useRevise(name).mutateAsync;
  const state = useMemo(
    () => desk.data && { name, desk: desk.data, mayPlan, save },
    [name, desk.data, mayPlan, save],
  );
  const [drawn, found] = useDraft(name, desk.data, save);
  const [show, keep, drop] = [drawn?.show, drawn?.keep, drawn?.drop];
  const steps = useMemo(() => (show && keep && drop ? { show, keep, drop } : null), [show, keep, drop]);
  const lights = useMemo(() => ({ lit: lit ?? (memberOf(hash.slice(1)) || null), light }), [lit, hash]);
  if (desk.error && !desk.data) {
    return <Notice title={`${customer}/${site} cannot be shown`} detail={desk.error.message} />;
  }
  if (!state || !drawn) return null;
  return (
    <DeskContext value={state}>
      <LightContext value={lights}>
        <StepsContext value={steps}>
          <DraftContext value={drawn}>
            <FoundContext value={found}>
              <DeskHeader />
              {wide ? (
                <Outlet />
              ) : (
                <div className={styles.body}>
                  <div className={styles.left}>
                    <Outlet />
                  </div>
                  <FindingsRail />
                </div>
              )}
            </FoundContext>
          </DraftContext>
        </StepsContext>
      </LightContext>
    </DeskContext>
  );
}
