import type { Difference, Revision } from '@versicle/contract';
import { createReducer, on } from '@ngrx/store';
import { idle, loaded, type Loadable } from '../../shared/loadable';
import { sheetActions } from '../sheet.actions';

interface Publishing {
  readonly difference: Loadable<Difference>;
  readonly busy: boolean;
  readonly problem: string | null;
  readonly faults: readonly { path: string; message: string }[];
  readonly done: Revision | null;
}

/** The way of the draft to a new revision; null while nobody is on it. */
export interface PublishingState {
  readonly publishing: Publishing | null;
}
export const initialPublishing: PublishingState = { publishing: null };

export const publishingReducer = createReducer<PublishingState>(
  initialPublishing,
  on(sheetActions.publishAsked, (s): PublishingState => ({
    ...s,
    publishing: { difference: idle(), busy: false, problem: null, faults: [], done: null },
  })),
  on(sheetActions.publishGivenUp, (s): PublishingState => ({ ...s, publishing: null })),
  on(sheetActions.differenceLoaded, (s, { difference }): PublishingState => ({
    ...s,
    publishing: s.publishing && { ...s.publishing, difference: loaded(difference) },
  })),
  on(sheetActions.publish, (s): PublishingState => ({
    ...s,
    publishing: s.publishing && { ...s.publishing, busy: true, problem: null, faults: [] },
  })),
  on(sheetActions.publishFailed, (s, { problem, faults }): PublishingState => ({
    ...s,
    publishing: s.publishing && { ...s.publishing, busy: false, problem, faults },
  })),
  on(sheetActions.published, (s, { revision }): PublishingState => ({
    ...s,
    publishing: s.publishing && { ...s.publishing, busy: false, done: revision },
  })),
  // What was published is not what stands here any more.
  on(sheetActions.edited, sheetActions.undone, sheetActions.redone, (s): PublishingState =>
    s.publishing?.done ? { ...s, publishing: null } : s,
  ),
);
