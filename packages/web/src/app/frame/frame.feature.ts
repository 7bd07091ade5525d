import type { ServerEvent, Session, Waiting } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';

export const frameActions = createActionGroup({
  source: 'Frame',
  events: {
    started: emptyProps(),
    'session loaded': props<{ session: Session }>(),
    'waiting loaded': props<{ waiting: Waiting }>(),
    /** The server told something. */
    told: props<{ event: ServerEvent }>(),
    /** The connection to the server was lost and is there again. */
    connected: emptyProps(),
    /** A sentence for the foot of the page, for instance after a save failed. */
    say: props<{ text: string; problem: boolean }>(),
    unsay: emptyProps(),
  },
});

interface FrameState {
  readonly session: Session | null;
  readonly waiting: Waiting;
  readonly notice: { readonly text: string; readonly problem: boolean } | null;
}
const initial: FrameState = {
  session: null,
  waiting: { systems: 0, mappings: 0, runs: 0, failures: 0, codes: 0 },
  notice: null,
};

export const frameFeature = createFeature({
  name: 'frame',
  reducer: createReducer(
    initial,
    on(frameActions.sessionLoaded, (s, { session }): FrameState => ({ ...s, session })),
    on(frameActions.waitingLoaded, (s, { waiting }): FrameState => ({ ...s, waiting })),
    on(frameActions.told, (s, { event }): FrameState =>
      event.type === 'waiting' ? { ...s, waiting: event.waiting } : s,
    ),
    on(frameActions.say, (s, { text, problem }): FrameState => ({ ...s, notice: { text, problem } })),
    on(frameActions.unsay, (s): FrameState => ({ ...s, notice: null })),
  ),
});
