import { ChangeDetectionStrategy, Component, computed, effect, inject, untracked } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { MappingSummary } from '@versicle/contract';
import { CellDirective } from '../shared/list/cell.directive';
import type { Column } from '../shared/list/column';
import { ListComponent } from '../shared/list/list.component';
import { systemsActions, systemsFeature } from '../systems/systems.feature';
import { FigurePipe, FullTimePipe, TimePipe } from '../shared/words';
import { mappingsActions, mappingsFeature } from './mappings.feature';
import { ProgressComponent } from './progress.component';

/** What the template says in one case or another. */
const PHRASES = {
  line: $localize` line`,
  lines: $localize` lines`,
  changedSince: $localize` changed since`,
};

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, CellDirective, ListComponent, ProgressComponent, FigurePipe, FullTimePipe, TimePipe],
  template: `
    <div class="page">
      <vs-list
        heading="Mappings"
        i18n-heading
        sentence="The documents that say what fills each target field. What is published is what runs."
        i18n-sentence
        finds="Find a mapping"
        i18n-finds
        [none]="none()"
        [of]="mappings()"
        [columns]="columns"
        [key]="id"
        (again)="open()"
      >
        <a i18n action class="btn" routerLink="/mappings/all/awaiting">What awaits whom</a>
        <a i18n action class="btn" routerLink="/mappings/all/lines">All lines</a>
        <a i18n action class="btn first" routerLink="/mappings/new">New mapping</a>
        @if (systems().value?.length === 0) {
          <a i18n empty class="btn" routerLink="/systems">Systems</a>
        }
        <ng-template vsCell="name" [like]="mappings()" let-m
          ><a [routerLink]="['/mappings', m.id]">{{ m.name }}</a></ng-template
        >
        <ng-template vsCell="source" [like]="mappings()" let-m>
          <code>{{ m.source }}</code>
          @for (name of m.further; track $index) {
            <span i18n class="further soft"
              >with <code>{{ short(name, m.source) }}</code></span
            >
          }
        </ng-template>
        <ng-template vsCell="target" [like]="mappings()" let-m
          ><code>{{ m.target }}</code></ng-template
        >
        <ng-template vsCell="lines" [like]="mappings()" let-m
          ><vs-progress [states]="m.states" [lines]="m.lines"
        /></ng-template>
        <ng-template vsCell="revision" [like]="mappings()" let-m>
          @if (m.revision === null) {
            <ng-container i18n> not published </ng-container>
          } @else {
            {{ m.revision
            }}{{
              m.changed > 0
                ? ', ' + m.changed + (m.changed === 1 ? phrases.line : phrases.lines) + phrases.changedSince
                : ''
            }}
          }
        </ng-template>
        <ng-template vsCell="failed" [like]="mappings()" let-m
          ><a [class.rub]="m.openFailures > 0" routerLink="/failures" [queryParams]="{ mapping: m.id }">{{
            m.openFailures | figure
          }}</a></ng-template
        >
        <ng-template vsCell="edited" [like]="mappings()" let-m
          ><span [title]="m.updatedAt | fullTime">{{ m.updatedAt | time }}</span></ng-template
        >
      </vs-list>
    </div>
  `,
  styles: `
    .further {
      display: block;
    }
    vs-progress {
      --meter: 80px;
    }
  `,
})
export class MappingsPage {
  protected readonly phrases = PHRASES;
  private readonly store = inject(Store);
  protected readonly mappings = this.store.selectSignal(mappingsFeature.selectMappings);
  protected readonly id = (m: MappingSummary): string => m.id;
  protected readonly columns: readonly Column<MappingSummary>[] = [
    { key: 'name', title: $localize`Mapping`, class: 'name', value: (m) => m.name },
    { key: 'source', title: $localize`Source`, sign: 'source', value: (m) => [m.source, ...m.further].join(' ') },
    { key: 'target', title: $localize`Target`, sign: 'target', value: (m) => m.target },
    { key: 'lines', title: $localize`Lines`, class: 'soft', value: (m) => m.lines },
    { key: 'revision', title: $localize`Revision`, class: 'soft nowrap', value: (m) => m.revision },
    { key: 'failed', title: $localize`Failed`, figures: true, value: (m) => m.openFailures },
    { key: 'edited', title: $localize`Edited`, figures: true, value: (m) => m.updatedAt },
  ];
  /** What comes first in an empty workspace. */
  protected readonly systems = this.store.selectSignal(systemsFeature.selectSystems);
  protected readonly none = computed(() =>
    this.systems().value?.length === 0
      ? $localize`No mapping yet. Connect the systems first that records come from and go to; then a new mapping says what fills each field.`
      : $localize`No mapping yet. Choose a source and a target, and the sheet opens.`,
  );

  constructor() {
    this.open();
    // Whether systems come first matters only where there is nothing yet.
    effect(() => {
      if (this.mappings().value?.length === 0) untracked(() => this.store.dispatch(systemsActions.opened()));
    });
  }
  /** A dataset of the same system without the system's name. */
  protected short(dataset: string, source: string): string {
    const system = source.slice(0, source.indexOf('/') + 1);
    return dataset.startsWith(system) ? dataset.slice(system.length) : dataset;
  }
  protected open(): void {
    this.store.dispatch(mappingsActions.opened());
  }
}
