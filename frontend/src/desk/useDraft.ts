import { immutableJSONPatch } from 'immutable-json-patch';
import { useCallback, useLayoutEffect, useMemo, useRef, useState } from 'react';
import type { Desk, Failure, Finding, Operation, Plan } from '../api/client';
import { draftFindings, type SiteName } from '../api/queries';
import type { Drafting, Found } from './context';

interface Draft {
  plan: Plan;
  findings: Finding[] | null;
  /** Whether it is only looked at: the findings of the plan stay where they are, with what would change. */
  preview: boolean;
  /** The revision that holds it, once it is saved: it is drawn until the desk has come to that one. */
  saved?: number;
}

/**
 * A change that is shown before it is saved: at once in the plan, a moment later in the findings. Only one question
 * is with the server at a time; the newest state is asked for when it comes back, so that dragging never queues up.
 * What is shown while another change is being saved is drawn as soon as that is through.
 */
export function useDraft(
  name: SiteName,
  desk: Desk | undefined,
  save: (what: { operations: Operation[]; revision: number }) => Promise<Desk>,
): [Drafting | null, Found] {
  const [draft, setDraft] = useState<Draft | null>(null);
  const [problem, setProblem] = useState('');
  const [clashing, setClashing] = useState<Drafting['clashing']>(null);
  const newest = useRef<Operation[] | null>(null);
  const asking = useRef(false);
  const saving = useRef(0);
  const waiting = useRef<{ operations: Operation[]; preview: boolean } | null>(null);
  const base = useRef(desk);
  useLayoutEffect(() => {
    base.current = desk;
  }, [desk]);

  const ask = useCallback(async () => {
    if (asking.current) return;
    asking.current = true;
    let asked: Operation[] | null = null;
    while (newest.current && newest.current !== asked) {
      asked = newest.current;
      try {
        const findings = await draftFindings(name, asked);
        if (newest.current) setDraft((now) => now && { ...now, findings });
      } catch (error) {
        setProblem((error as Failure).message);
      }
    }
    asking.current = false;
  }, [name]);

  const show = useCallback(
    (operations: Operation[], preview = false) => {
      const now = base.current;
      waiting.current = saving.current ? { operations, preview } : null;
      if (!now || saving.current) return;
      const plan = patched(now.plan, operations);
      if (!plan) return;
      setProblem('');
      newest.current = operations;
      setDraft((before) => ({ plan, preview, findings: before?.findings ?? null }));
      void ask();
    },
    [ask],
  );
  const drop = useCallback(() => {
    waiting.current = null;
    if (saving.current) return;
    newest.current = null;
    setDraft(null);
  }, []);
  const keep = useCallback(
    (operations: Operation[], on?: number) => {
      const now = base.current;
      if (!now || operations.length === 0) return;
      const plan = patched(now.plan, operations); // none when somebody took away what it changes: the server tells
      newest.current = null;
      waiting.current = null;
      setProblem('');
      setClashing(null);
      setDraft((before) => (plan ? { plan, preview: false, findings: before?.findings ?? null } : null));
      saving.current += 1;
      save({ operations, revision: on ?? now.revision.number })
        .then((saved) => {
          base.current = saved;
          return saved.revision.number;
        })
        .catch((failure: Failure) => {
          if (failure.clashes.length > 0) setClashing({ failure, operations });
          else setProblem(`${failure.message}. The plan is as it was before`);
          return 0;
        })
        .then((number) => {
          saving.current -= 1;
          if (saving.current > 0) return;
          const next = waiting.current;
          if (next) show(next.operations, next.preview);
          else if (newest.current === null) setDraft((before) => before && { ...before, saved: number });
        });
    },
    [save, show],
  );

  const revision = useCallback(() => base.current?.revision.number ?? 0, []);

  const settle = useCallback(
    (mine: boolean) => {
      setClashing(null);
      if (mine && clashing) keep(clashing.operations, clashing.failure.revision);
    },
    [clashing, keep],
  );

  const pending = draft?.saved !== undefined && draft.saved <= (desk?.revision.number ?? 0) ? null : draft;
  const plan = pending?.plan ?? desk?.plan;
  const drafting = pending !== null;
  const preview = pending?.preview ?? false;
  const after = pending?.findings ?? null;
  const findings = (preview ? null : after) ?? desk?.findings;
  const drawn = useMemo(
    () => (plan ? { plan, drafting, show, keep, drop, revision, problem, clashing, settle } : null),
    [plan, drafting, show, keep, drop, revision, problem, clashing, settle],
  );
  const found = useMemo(
    () => ({ findings: findings ?? [], drafting: drafting && !preview, after: preview ? after : null }),
    [findings, drafting, preview, after],
  );
  return [drawn, found];
}

/** The plan with a change made, sharing all that did not change; nothing when it does not fit. */
export function patched(plan: Plan, operations: Operation[]): Plan | undefined {
  try {
    return immutableJSONPatch(plan, operations as Parameters<typeof immutableJSONPatch>[1]) as Plan;
  } catch {
    return undefined;
  }
}
