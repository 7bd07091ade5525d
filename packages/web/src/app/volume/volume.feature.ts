import type { Volume, VolumeQuery } from '@versicle/contract';
import { createActionGroup, createFeature, createReducer, props } from '@ngrx/store';
import { fetched, idle, type Loadable } from '../shared/loadable';

export const volumeActions = createActionGroup({
  source: 'Volume',
  events: {
    opened: props<{ asked: VolumeQuery }>(),
    loaded: props<{ volume: Volume }>(),
    failed: props<{ problem: string }>(),
  },
});
export interface VolumeState {
  readonly volume: Loadable<Volume>;
}
export const volumeFeature = createFeature({
  name: 'volumes',
  reducer: createReducer<VolumeState>(
    { volume: idle() },
    ...fetched<VolumeState, 'volume'>('volume', {
      asked: volumeActions.opened,
      came: volumeActions.loaded,
      failed: volumeActions.failed,
    }),
  ),
});
