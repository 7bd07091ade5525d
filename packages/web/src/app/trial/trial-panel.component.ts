import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { TrialState } from '@versicle/contract';
import type { FieldProfile, MappingDocument } from '@versicle/core';
import { BandComponent } from '../runs/band.component';
import { SELECT } from '../shared/select';
import { LoadingComponent } from '../shared/loading.component';
import { SaidComponent } from '../shared/said.component';
import { SignComponent } from '../shared/signs.component';
import { durationWords, figure, FigurePipe } from '../shared/words';
import { sheetActions } from '../sheet/sheet.actions';
import { trialActions, trialFeature } from './trial.feature';

type Report = NonNullable<TrialState['report']>;
type Stage = Report['stages'][number];

/** What each stage is called, what its records went through, and what becomes of the others. */
const STAGE_WORDS: Record<Stage['name'], { readonly name: string; readonly off: string }> = {
  read: { name: $localize`Read`, off: $localize`can’t be read` },
  joined: { name: $localize`Joined`, off: $localize`left out by the filter` },
  grouped: { name: $localize`Grouped`, off: $localize`folded into others` },
  filter: { name: $localize`Filter`, off: $localize`left out` },
  skips: { name: $localize`Skips`, off: $localize`skipped` },
  lines: { name: $localize`Lines`, off: $localize`fail on a line` },
  mapped: { name: $localize`Skips when mapped`, off: $localize`skipped` },
  checks: { name: $localize`Checks`, off: $localize`fail a check` },
  key: { name: $localize`Key`, off: $localize`have a key again` },
};
const AMOUNTS = [
  [100, $localize`the first 100 records`],
  [1000, $localize`the first 1,000 records`],
  [10_000, $localize`the first 10,000 records`],
  [100_000, $localize`the first 100,000 records`],
  [0, $localize`all records`],
] as const;

/** What the template says in one case or another. */
const PHRASES = {
  theDraftHasBeen: $localize`; the draft has been changed since`,
  null: $localize`null`,
  noRecordComesPast: $localize`No record comes past here.`,
  none: $localize`None.`,
  row: $localize`Row `,
  onTheSheet: $localize` on the sheet`,
};

/** The whole draft on real records, without writing: what a run would do, stage by stage and field by field. */
@Component({
  selector: 'vs-trial-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RouterLink, SELECT, BandComponent, LoadingComponent, SaidComponent, SignComponent, FigurePipe],
  templateUrl: './trial-panel.component.html',
  styleUrl: './trial-panel.component.less',
})
export class TrialPanelComponent {
  protected readonly phrases = PHRASES;
  readonly mapping = input.required<string>();
  readonly document = input.required<MappingDocument>();
  /** The draft's version as it is now. */
  readonly version = input.required<number>();
  /** A trial takes the draft as it is stored. */
  readonly saved = input.required<boolean>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly amounts = AMOUNTS;
  protected readonly amount = signal(1000);
  protected readonly stageName = signal<Stage['name'] | null>(null);
  protected readonly side = signal<'on' | 'off'>('on');
  protected readonly loadable = this.store.selectSignal(trialFeature.selectTrial);
  protected readonly refused = this.store.selectSignal(trialFeature.selectRefused);
  protected readonly trial = computed(() => this.loadable().value);
  protected readonly report = computed(() => this.trial()?.report ?? null);
  protected readonly counts = computed(() => {
    const { read, filtered, skipped, failed, written, remarks } = this.report()!.counts;
    return { read, filtered, skipped, unchanged: 0, unmatched: 0, waiting: 0, failed, delivered: written, remarks };
  });
  /** Where the dataset that is read is told how. */
  protected readonly source = computed(() => {
    const [system, ...name] = this.document().source.primary.dataset.split('/');
    return { system, at: { name: name.join('/'), tab: 'format' } };
  });
  protected readonly stale = computed(() => (this.trial()?.version ?? this.version()) !== this.version());
  protected readonly progressWords = computed(() => {
    const { records, share, millis } = this.trial()!;
    if (records === 0) return $localize`Fetching the records …`;
    const rate = millis > 0 ? Math.round(records / (millis / 1000)) : 0;
    const left =
      share !== null && share > 0.02 ? $localize`, ${durationWords((millis / share) * (1 - share))} left` : '';
    return $localize`${figure(records)} records, ${figure(rate)} a second${left}`;
  });
  protected readonly tookWords = computed(() => durationWords(this.trial()!.millis));
  protected readonly stages = computed(() =>
    this.report()!.stages.map((s) => ({ ...s, words: STAGE_WORDS[s.name], shown: s.name === this.stage().name })),
  );
  /** The stage that was chosen; at first the one that most records fail at, otherwise the last. */
  protected readonly stage = computed((): Stage => {
    const { stages } = this.report()!;
    const chosen = stages.find((s) => s.name === this.stageName());
    return chosen ?? stages.at(-1)!;
  });
  protected readonly columns = computed(() =>
    ['read', 'filter', 'skips'].includes(this.stage().name)
      ? this.report()!.sourceFields
      : this.report()!.targetFields.map((name) => this.labelOf(name)),
  );
  protected readonly ofTarget = computed(() => !['read', 'filter', 'skips'].includes(this.stage().name));
  protected readonly records = computed(() =>
    this.side() === 'on' ? this.stage().onRecords : this.stage().offRecords,
  );
  protected readonly offWords = computed(() => STAGE_WORDS[this.stage().name].off);
  private readonly numbers = computed(() => new Map(this.document().lines.map((l, i) => [l.id, i + 1])));
  protected readonly failures = computed(() => this.named(this.report()!.failures));
  protected readonly remarks = computed(() => this.named(this.report()!.remarks));
  protected readonly fields = computed(() =>
    this.report()!.fields.map((f) => ({
      ...f,
      number: this.numbers().get(f.line) ?? null,
      label: this.labelOf(f.target),
      was: f.before.map((b) => ({ name: b.name, words: valuesWords(b) })),
      is: valuesWords(f.after),
    })),
  );

  constructor() {
    effect(() => {
      const mapping = this.mapping();
      untracked(() => this.store.dispatch(trialActions.opened({ mapping })));
    });
    // What was tried last is what one tries again.
    effect(() => {
      const trial = this.trial();
      const last = trial?.startedAt ? (trial.rowLimit ?? 0) : null;
      if (last !== null && AMOUNTS.some(([n]) => n === last)) this.amount.set(last);
    });
  }

  private labelOf(target: string): string {
    return this.document().target.fields.find((f) => f.name === target)?.label ?? target;
  }
  private named(
    failures: Report['failures'],
  ): (Report['failures'][number] & { readonly where: string; readonly number: number | null })[] {
    return failures.map((f) => {
      const number = f.line === null ? null : (this.numbers().get(f.line) ?? null);
      const line = this.document().lines.find((l) => l.id === f.line);
      const where = line
        ? this.labelOf(line.target)
        : f.line === null
          ? $localize`The record itself`
          : $localize`Check ${f.line}`;
      return { ...f, number, where };
    });
  }
  protected start(): void {
    const amount = this.amount();
    this.stageName.set(null);
    this.side.set('on');
    this.store.dispatch(trialActions.start({ rowLimit: amount === 0 ? null : amount }));
  }
  protected cancel(): void {
    this.store.dispatch(trialActions.cancel());
  }
  protected reload(): void {
    this.store.dispatch(trialActions.opened({ mapping: this.mapping() }));
  }
  protected look(name: Stage['name'], side: 'on' | 'off'): void {
    this.stageName.set(name);
    this.side.set(side);
  }
  /** On the sheet, at its line, with that record as the sample. */
  protected open(failure: Report['failures'][number]): void {
    const { row, file, source } = failure;
    if (source.length > 0)
      this.store.dispatch(
        sheetActions.recordGiven({
          fields: this.report()!.sourceFields,
          record: { row, file, values: [...source], problem: null },
        }),
      );
    const line = this.numbers().has(failure.line ?? '') ? failure.line : null;
    this.store.dispatch(sheetActions.lineOpened({ line }));
    void this.router.navigate([], { queryParams: { view: null, line }, queryParamsHandling: 'merge' });
  }
}

/** “4,120 filled, 312 different, 1950-01-02 to 2011-12-30: A (1,200), B (800)”. */
function valuesWords(p: FieldProfile): string {
  if (p.filled === 0) return $localize`always empty`;
  const different = $localize`${p.distinctExact ? '' : $localize`about `}${figure(p.distinct)} different`;
  const range = p.min !== null && p.min !== p.max ? $localize`, ${short(p.min)} to ${short(p.max!)}` : '';
  // Where hardly a value comes twice, the first ones say nothing.
  const often = p.top.filter((t) => t.count > 1 && t.count > p.filled / 200).slice(0, 4);
  const top = often.map((t) => `${short(t.value)} (${figure(t.count)})`).join(', ');
  return $localize`${figure(p.filled)} filled, ${different}${range}${top ? `: ${top}` : ''}`;
}
function short(text: string): string {
  return text.length > 24 ? `${text.slice(0, 22)}…` : text;
}
