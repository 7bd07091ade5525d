import { inject, Injectable } from '@angular/core';
import { Actions, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { firstValueFrom, merge, of, race, timer } from 'rxjs';
import { filter, first, map, switchMap } from 'rxjs/operators';
import { frameActions } from '../frame/frame.feature';
import { sheetActions } from './sheet.actions';
import { sheetFeature } from './sheet.feature';

/** How long leaving waits for a save that is on its way. */
const PATIENCE = 8000;

/** Sees to it that nothing typed into a sheet is lost: what is being typed is committed, and what is not saved yet is saved. */
@Injectable({ providedIn: 'root' })
export class SheetKeeper {
  private readonly store = inject(Store);
  private readonly actions = inject(Actions);

  /** Commits whatever is being typed, as leaving its field does. */
  commit(): void {
    const at = document.activeElement;
    if (at instanceof HTMLElement && at !== document.body) at.blur();
  }

  /** Whether everything is saved; where it can't be, a sentence says why, and the page should stay. */
  async settled(): Promise<boolean> {
    this.commit();
    // What the commit emitted is in the state once the page's own handlers have run.
    await Promise.resolve();
    const state = this.store.selectSignal(sheetFeature.selectSheetState);
    if (state().document === null || state().saving === 'saved') return true;
    const outcome$ = this.store.select(sheetFeature.selectSheetState).pipe(
      filter((s) => s.document === null || s.saving === 'saved'),
      first(),
      map(() => null as string | null),
    );
    const failed$ = this.actions.pipe(
      ofType(sheetActions.saveFailed, sheetActions.othersLoaded),
      switchMap((action) =>
        action.type === sheetActions.saveFailed.type && !action.conflict ? of(action.problem) : this.clash(),
      ),
      filter((problem) => problem !== null),
      first(),
    );
    const late$ = timer(PATIENCE).pipe(map(() => $localize`the server has not answered yet`));
    if (state().clash !== null)
      return this.stay($localize`somebody else changed the same, and you have to choose first`);
    const outcome = firstValueFrom(race(outcome$, merge(failed$, late$)));
    this.store.dispatch(sheetActions.saveNow());
    const problem = await outcome;
    return problem === null ? true : this.stay(problem);
  }
  private clash() {
    return this.store.select(sheetFeature.selectSheetState).pipe(
      first(),
      map((s) => (s.clash === null ? null : $localize`somebody else changed the same, and you have to choose first`)),
    );
  }
  private stay(problem: string): false {
    this.store.dispatch(
      frameActions.say({
        text: $localize`Your last edits are not saved, so the sheet stays open: ${problem}`,
        problem: true,
      }),
    );
    return false;
  }
}
