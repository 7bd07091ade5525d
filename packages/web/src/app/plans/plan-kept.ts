import { inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { filter, firstValueFrom, race, timer } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { planFeature } from './plan.feature';

/** How long leaving waits for a save that is on its way. */
const PATIENCE = 8000;

/** Whether all that was changed in a plan is kept; where it can't be, a sentence says why, and the page stays. */
export async function planIsKept(): Promise<boolean> {
  const store = inject(Store);
  const state = store.selectSignal(planFeature.selectPlanState);
  // Whatever is being typed is committed, as leaving its field does.
  const at = document.activeElement;
  if (at instanceof HTMLElement && at !== document.body) at.blur();
  await Promise.resolve();
  await firstValueFrom(race(store.select(planFeature.selectSaving).pipe(filter((saving) => !saving)), timer(PATIENCE)));
  const { saving, problem } = state();
  if (!saving && problem === null) return true;
  const why = problem ?? $localize`the server has not answered yet`;
  store.dispatch(
    frameActions.say({
      text: $localize`Your last change is not kept, so the plan stays open: ${why} Undo takes the change back.`,
      problem: true,
    }),
  );
  return false;
}
