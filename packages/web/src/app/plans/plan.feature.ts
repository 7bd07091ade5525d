import type { PlanDetail, PlanVersion } from '@versicle/contract';
import type { PlanDocument } from '@versicle/core';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { failed, fetched, idle, loaded, type Loadable } from '../shared/loadable';

export const planActions = createActionGroup({
  source: 'Plan',
  events: {
    opened: props<{ id: string }>(),
    loaded: props<{ plan: PlanDetail }>(),
    failed: props<{ problem: string }>(),
    /** The document as a person has made it; it is kept at once. */
    edited: props<{ document: PlanDocument }>(),
    /** `sent`: what was kept, as the page had it; `before`: what was kept before it. */
    saved: props<{ plan: PlanDetail; sent: PlanDocument; before: PlanDocument }>(),
    'save failed': props<{ problem: string; sent: PlanDocument }>(),
    undo: emptyProps(),
    hold: props<{ held: boolean }>(),
    held: props<{ plan: PlanDetail }>(),
    'versions opened': emptyProps(),
    'versions loaded': props<{ versions: PlanVersion[] }>(),
    'versions failed': props<{ problem: string }>(),
    left: emptyProps(),
  },
});

export interface PlanState {
  readonly id: string | null;
  readonly plan: Loadable<PlanDetail>;
  /** What stands on the page: what is kept, or what could not be. */
  readonly draft: PlanDocument | null;
  readonly saving: boolean;
  /** Why the draft is not kept. */
  readonly problem: string | null;
  /** What was kept before, the newest last. */
  readonly before: readonly PlanDocument[];
  readonly undoing: boolean;
  readonly versions: Loadable<PlanVersion[]>;
}
export const initialPlan: PlanState = {
  id: null,
  plan: idle(),
  draft: null,
  saving: false,
  problem: null,
  before: [],
  undoing: false,
  versions: idle(),
};
/** Steps back that a page offers. */
const MOST_UNDO = 50;

export const planFeature = createFeature({
  name: 'plan',
  reducer: createReducer(
    initialPlan,
    on(planActions.opened, (s, { id }): PlanState => (s.id === id ? s : { ...initialPlan, id })),
    on(planActions.loaded, (s, { plan }): PlanState => {
      // Of another plan; or asked for before the last save and here after it.
      if (plan.id !== s.id || (s.plan.value !== null && plan.version < s.plan.value.version)) return s;
      // What is on its way to be kept is newer than what was asked for before.
      return { ...s, plan: loaded(plan), draft: s.saving || s.problem ? s.draft : plan.document };
    }),
    on(planActions.failed, (s, { problem }): PlanState => ({ ...s, plan: failed(problem, s.plan) })),
    on(planActions.edited, (s, { document }): PlanState => ({ ...s, draft: document, saving: true })),
    on(planActions.saved, (s, { plan, sent, before }): PlanState => ({
      ...s,
      plan: loaded(plan),
      // What was changed while it was on its way is kept next.
      saving: s.draft !== sent,
      draft: s.draft === sent ? plan.document : s.draft,
      problem: null,
      undoing: false,
      before: s.undoing
        ? s.before.slice(0, -1)
        : before === plan.document || plan.version === s.plan.value?.version
          ? s.before
          : [...s.before, before].slice(-MOST_UNDO),
    })),
    on(planActions.saveFailed, (s, { problem, sent }): PlanState => ({
      ...s,
      saving: s.draft !== sent,
      undoing: false,
      problem,
    })),
    on(planActions.undo, (s): PlanState => {
      if (s.plan.value === null) return s;
      // What could not be kept is left first.
      if (s.problem !== null) return { ...s, draft: s.plan.value.document, problem: null };
      const last = s.before.at(-1);
      return last === undefined ? s : { ...s, draft: last, saving: true, undoing: true };
    }),
    on(planActions.held, (s, { plan }): PlanState => (plan.id === s.id ? { ...s, plan: loaded(plan) } : s)),
    ...fetched<PlanState, 'versions'>('versions', {
      asked: planActions.versionsOpened,
      came: planActions.versionsLoaded,
      failed: planActions.versionsFailed,
    }),
    on(planActions.left, (): PlanState => initialPlan),
  ),
});
