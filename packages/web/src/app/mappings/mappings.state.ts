import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as mappingsEffects from './mappings.effects';
import { mappingsFeature } from './mappings.feature';

/** The mappings as other pages know them, too. */
export const mappingsState = [provideState(mappingsFeature), provideEffects(mappingsEffects)];
