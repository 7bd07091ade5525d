import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { CauseComponent } from '../shared/cause.component';
import { LoadingComponent } from '../shared/loading.component';
import { SaidComponent } from '../shared/said.component';
import { capital, durationWords, figure, FigurePipe, FullTimePipe, inWords, longDay, TimePipe } from '../shared/words';
import { DayStripComponent } from './day-strip.component';
import { dutiesOf, othersSentence, type Duty } from './duties';
import { todayActions, todayFeature } from './today.feature';

/** What the template says in one case or another. */
const PHRASES = {
  nothing: $localize`nothing`,
  aNewField: $localize`a new field`,
  newFields: $localize`new fields`,
  anAnswer: $localize`an answer`,
  by: $localize` by `,
  line: $localize`line`,
  lines: $localize`lines`,
  seen: $localize`Seen: `,
};

/** The order of the day, as a short document. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    RouterLink,
    CauseComponent,
    LoadingComponent,
    SaidComponent,
    FigurePipe,
    FullTimePipe,
    TimePipe,
    DayStripComponent,
  ],
  templateUrl: './today.page.html',
  styleUrl: './today.page.less',
})
export class TodayPage {
  protected readonly phrases = PHRASES;
  private readonly store = inject(Store);
  protected readonly loading = this.store.selectSignal(todayFeature.selectToday);
  protected readonly today = computed(() => this.loading().value);
  protected readonly date = computed(() => longDay(new Date(this.today()?.now ?? Date.now())));
  protected readonly duties = computed((): Duty[] => (this.today() ? dutiesOf(this.today()!) : []));
  protected readonly summary = computed(() => {
    const today = this.today();
    if (!today) return '';
    const ran = today.day.filter((d) => d.to !== null).length;
    const going = today.day.length - ran;
    const systems =
      today.systems.length === 0
        ? $localize`all systems answered when last asked`
        : $localize`${inWords(today.systems.length, $localize`system`, $localize`systems`)} did not answer`;
    return $localize`${capital(inWords(ran, $localize`run`, $localize`runs`))} in the past 24 hours${going > 0 ? $localize`, ${inWords(going, $localize`run`, $localize`runs`)} going on` : ''}; ${systems}.`;
  });
  protected readonly countWords = computed(
    () => $localize`${inWords(this.duties().length, $localize`thing`, $localize`things`)}, worst first`,
  );
  protected readonly others = othersSentence;
  protected readonly messages = computed(() => (this.today()?.messages ?? []).filter((m) => m.means === 'application'));
  protected seen(id: number): void {
    this.store.dispatch(todayActions.seen({ id }));
  }
  protected fieldsSeen(mapping: string): void {
    this.store.dispatch(todayActions.fieldsSeen({ mapping }));
  }
  protected sendAgain(id: number): void {
    this.store.dispatch(todayActions.sendAgain({ id }));
  }
  protected records(n: number): string {
    return `${figure(n)} ${n === 1 ? $localize`record` : $localize`records`}`;
  }
  protected lead(worst: number, others: number): string {
    if (others === 0) return worst === 1 ? ': ' : $localize`, all with one cause: `;
    return worst === 1
      ? $localize`, each with a cause of its own, such as `
      : $localize`. ${figure(worst)} have one cause: `;
  }
  protected readonly duration = durationWords;

  constructor() {
    this.open();
  }
  protected open(): void {
    this.store.dispatch(todayActions.opened());
  }
}
