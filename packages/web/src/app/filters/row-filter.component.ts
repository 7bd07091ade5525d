import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output } from '@angular/core';
import { Store } from '@ngrx/store';
import type { Counted, KeptFilter } from '@versicle/contract';
import type { Loadable } from '../shared/loadable';
import { figure } from '../shared/words';
import { filtersActions, filtersFeature } from './filters.feature';

/** What the template says in one case or another. */
const PHRASES = {
  keptBy: $localize` — kept by `,
  forget: $localize`Forget `,
};

/** Which rows of a dataset are shown: a condition, those that were kept under a name, and how many of all records meet it. */
@Component({
  selector: 'vs-row-filter',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <form (submit)="ask($event, box.value)">
      <label i18n for="filter">Only rows where</label>
      <input
        #box
        id="filter"
        name="filter"
        class="input mono"
        [value]="condition()"
        placeholder="a condition, such as  rating = '5'"
        i18n-placeholder
        autocomplete="off"
      />
      <button i18n class="btn" type="submit">Filter</button>
      @if (condition()) {
        <button i18n class="btn quiet" type="button" (click)="box.value = ''; chosen.emit('')">Show all</button>
      }
    </form>
    <p class="kept">
      <span class="soft" role="status" [class.unseen]="!words()">{{ words() }}</span>
      @if (all().length > 0) {
        <span i18n class="soft" id="kept-filters">Kept:</span>
        <span role="list" aria-labelledby="kept-filters">
          @for (k of all(); track k.id) {
            <span role="listitem" class="one" [class.on]="k.condition === condition()">
              <button
                type="button"
                class="name"
                [attr.aria-pressed]="k.condition === condition()"
                [title]="k.condition + phrases.keptBy + k.person"
                (click)="chosen.emit(k.condition)"
              >
                {{ k.name }}</button><button
                type="button"
                class="forget"
                [attr.aria-label]="phrases.forget + k.name"
                title="Forget this filter"
                i18n-title
                (click)="forget(k)"
              >
                ×
              </button>
            </span>
          }
        </span>
      }
      @if (keepable()) {
        <span class="keep">
          <label i18n for="filter-name" class="soft">Keep this one as</label>
          <input #name id="filter-name" class="input" maxlength="100" autocomplete="off" (keydown.enter)="keep(name)" />
          <button i18n type="button" class="btn quiet" (click)="keep(name)">Keep</button>
        </span>
      }
      @if (problem()) {
        <span class="rub" role="alert">{{ problem() }}</span>
      }
    </p>
  `,
  styles: `
    form,
    .kept,
    .keep,
    .one {
      display: flex;
      align-items: center;
      gap: 8px;
    }
    :host {
      flex: 1;
      min-width: 0;
    }
    form .input {
      width: 420px;
      min-width: 0;
    }
    form label {
      white-space: nowrap;
    }
    .kept {
      flex-wrap: wrap;
      margin: 6px 0 0;
      min-height: 30px;
      gap: 6px 22px;
      [role='list'] {
        display: flex;
        flex-wrap: wrap;
        gap: 4px 10px;
      }
      .input {
        width: 150px;
      }
    }
    .one {
      gap: 0;
    }
    .name,
    .forget {
      border: 0;
      background: none;
      font: inherit;
      color: var(--ink);
      cursor: pointer;
      padding: 2px 4px;
      min-height: 24px;
    }
    .name {
      text-decoration: underline;
      text-underline-offset: 3px;
      max-width: 260px;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    .on .name {
      font-weight: 600;
      text-decoration: none;
    }
    .forget {
      color: var(--ink-3);
      min-width: 24px;
    }
  `,
})
export class RowFilterComponent {
  protected readonly phrases = PHRASES;
  readonly system = input.required<string>();
  readonly dataset = input.required<string>();
  readonly condition = input.required<string>();
  /** Whether the rows that meet the condition are there; what could not be used is not kept. */
  readonly works = input(false);
  /** Whether all that meet the condition are still to be counted. */
  readonly uncounted = input(false);
  /** How many rows are shown, and of how many. */
  readonly words = input('');
  readonly chosen = output<string>();
  private readonly store = inject(Store);
  private readonly kept = this.store.selectSignal(filtersFeature.selectKept);
  protected readonly problem = this.store.selectSignal(filtersFeature.selectProblem);
  protected readonly all = computed(() => this.kept().value ?? []);
  protected readonly keepable = computed(
    () => this.works() && this.condition() !== '' && !this.all().some((k) => k.condition === this.condition()),
  );

  constructor() {
    effect(() => this.store.dispatch(filtersActions.opened({ id: this.system(), dataset: this.dataset() })));
    effect(() => {
      // After the rows: both would read the same at the same time.
      const [id, dataset, condition] = [this.system(), this.dataset(), this.condition()];
      if (this.works() && this.uncounted() && condition !== '')
        this.store.dispatch(filtersActions.count({ id, dataset, condition }));
    });
  }
  protected ask(event: Event, typed: string): void {
    event.preventDefault();
    this.chosen.emit(typed.trim());
  }
  protected keep(box: HTMLInputElement): void {
    const name = box.value.trim();
    if (name === '') box.focus();
    else
      this.store.dispatch(
        filtersActions.keep({ id: this.system(), dataset: this.dataset(), name, condition: this.condition() }),
      );
  }
  protected forget({ id }: KeptFilter): void {
    this.store.dispatch(filtersActions.forget({ id: this.system(), dataset: this.dataset(), filter: id }));
  }
}

interface Shown {
  readonly rows: number;
  readonly more: boolean;
  /** How many records there are, where all were looked at. */
  readonly all: number | null;
  /** How far the records were looked through, where not all of them were sorted. */
  readonly sortedAmong: number | null;
}
/** How many rows are shown, of how many that meet the filter, of how many records, as far as that is known. */
export function shownWords(
  { rows, more, all, sortedAmong }: Shown,
  condition: string,
  count: Loadable<Counted>,
): string {
  const among = sortedAmong === null ? '' : $localize`, sorted among the first ${figure(sortedAmong)}`;
  if (condition === '')
    return more ? $localize`the first ${figure(rows)} rows${among}` : $localize`all ${figure(rows)} rows`;
  const known = all === null ? count.value : { met: rows, all };
  if (known === null) {
    const counting = count.state === 'failed' ? '' : $localize`; counting …`;
    return $localize`${more ? $localize`the first ` : ''}${figure(rows)} that meet the filter${among}${counting}`;
  }
  const met = $localize`${figure(known.met)} of ${figure(known.all)} records meet the filter`;
  return rows < known.met ? $localize`the first ${figure(rows)}; ${met}${among}` : met;
}
