import { type ReactNode, useCallback, useEffect, useMemo, useState } from 'react';
import { Navigate, Outlet, useLocation, useNavigate, useParams } from 'react-router';
import { Failure, type Desk } from '../api/client';
import { useDesk, useRevise, type SiteName } from '../api/queries';
import { remember } from '../frame/destinations';
import { useMay } from '../frame/person';
import { STAGES } from '../pages';
import { DrawnContext } from '../parts/fetched';
import { Notice } from '../parts/Notice';
import { useKeys } from '../parts/useKeys';
import { deskPath } from '../parts/words';
import { DeskContext, DraftContext, FoundContext, LightContext, StepsContext } from './context';
import styles from './desk.module.css';
import { DeskHeader } from './DeskHeader';
import { FindingsRail } from './FindingsRail';
import { memberOf, placesToTry } from './places';
import { useDraft } from './useDraft';

/** One site: its header, the page of the stage, and the findings at the right. */
export function DeskPage() {
  const { customer = '', site = '' } = useParams();
  const name = useMemo(() => ({ customer, site }), [customer, site]);
  const desk = useDesk(name);
  const mayPlan = useMay('plan');
  const navigate = useNavigate();
  const { hash, key, pathname } = useLocation();
  const wide = /\/(bench|read-back)(\/|$)/.test(pathname);
  const ready = desk.data !== undefined;

  const [drawn, setDrawn] = useState(0); // counts the stages that were drawn, each of which may hold the place sought
  const onDrawn = useCallback(() => setDrawn((before) => before + 1), []);
  useKeys((pressed) => {
    const stage = STAGES[Number(pressed) - 1];
    if (stage) void navigate(deskPath(name, stage.stage));
    return stage !== undefined;
  });

  useEffect(() => {
    if (!ready || !hash) return;
    const place = decodeURIComponent(hash.slice(1));
    const field = placesToTry(place)
      .map((one) => document.querySelector<HTMLElement>(`[data-field="${CSS.escape(one)}"]`))
      .find(Boolean);
    const member = document.querySelector(`[data-path="${CSS.escape(memberOf(place))}"]`);
    (field ?? member)?.scrollIntoView({ block: 'center' });
    field?.focus({ preventScroll: true });
  }, [hash, ready, key, drawn]);

  const known = desk.data?.summary.name;
  useEffect(() => {
    const detail = `${customer}/${site}`;
    if (known) remember({ to: deskPath(name), kind: 'site', name: known, detail, addresses: '' });
  }, [known, name, customer, site]);

  const stage = (
    <DrawnContext value={onDrawn}>
      <Outlet />
    </DrawnContext>
  );
  const body = wide ? (
    stage
  ) : (
    <div className={`fill ${styles.body}`}>
      <div className={styles.left} data-page>
        {stage}
      </div>
      <FindingsRail />
    </div>
  );
  const now = desk.error instanceof Failure ? desk.error.now.split('/') : [];
  if (now.length === 2) {
    const [customer_ = '', site_ = ''] = now;
    return <Navigate replace to={deskPath({ customer: customer_, site: site_ })} />;
  }
  if (desk.error && (!desk.data || (desk.error instanceof Failure && desk.error.status === 404))) {
    return <Notice title={`${customer}/${site} cannot be shown`} detail={desk.error.message} />;
  }
  return (
    <DeskOf name={name} desk={desk.data} mayPlan={mayPlan} lit={memberOf(hash.slice(1))}>
      <DeskHeader />
      {body}
    </DeskOf>
  );
}

/** What every part of a desk shares: the plan with its draft, the findings, and what is lit up. */
export function DeskOf(props: {
  name: SiteName;
  desk: Desk | undefined;
  mayPlan: boolean;
  /** The member that the address of the page leads to. */
  lit: string;
  children: ReactNode;
}) {
  const { name, desk, mayPlan } = props;
  const [lit, light] = useState<string | null>(null);
  const save = useRevise(name).mutateAsync;
  const state = useMemo(() => desk && { name, desk, mayPlan, save }, [name, desk, mayPlan, save]);
  const [drawn, found] = useDraft(name, desk, save);
  const { show, keep, drop, revision } = drawn ?? {};
  const steps = useMemo(
    () => (show && keep && drop && revision ? { show, keep, drop, revision } : null),
    [show, keep, drop, revision],
  );
  const lights = useMemo(() => ({ lit: lit ?? (props.lit || null), light }), [lit, props.lit]);
  if (!state || !drawn) return null;
  return (
    <DeskContext value={state}>
      <LightContext value={lights}>
        <StepsContext value={steps}>
          <DraftContext value={drawn}>
            <FoundContext value={found}>{props.children}</FoundContext>
          </DraftContext>
        </StepsContext>
      </LightContext>
    </DeskContext>
  );
}
