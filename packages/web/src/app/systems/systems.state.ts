import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as structuresEffects from '../structures/structures.effects';
import { structuresFeature } from '../structures/structures.feature';
import * as systemsEffects from './systems.effects';
import { systemsFeature } from './systems.feature';

/** Systems and what is known of their datasets. */
export const systemsState = [
  provideState(systemsFeature),
  provideState(structuresFeature),
  provideEffects(systemsEffects, structuresEffects),
];
