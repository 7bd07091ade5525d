import { ChangeDetectionStrategy, Component, effect, inject, input, signal } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { System } from '@versicle/contract';
import { CellDirective } from '../shared/list/cell.directive';
import type { Column } from '../shared/list/column';
import { ListComponent } from '../shared/list/list.component';
import { LoadingComponent } from '../shared/loading.component';
import { structuresActions, structuresFeature } from '../structures/structures.feature';
import { NewSystemComponent } from './new-system.component';
import { FigurePipe } from '../shared/words';
import { stateWords } from './system-words';
import { systemsActions, systemsFeature } from './systems.feature';

/** What the template says in one case or another. */
const PHRASES = {
  noSystemIsConnected: $localize`No system is connected yet. Begin with the one that the records come from: a folder with files, a database or an API.`,
};

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, CellDirective, FigurePipe, ListComponent, LoadingComponent, NewSystemComponent],
  template: `
    <div class="page">
      <vs-list
        heading="Systems"
        i18n-heading
        sentence="Where records come from and where they go. Each is reached through its connection."
        i18n-sentence
        finds="Find a system"
        i18n-finds
        [none]="adding() ? '' : phrases.noSystemIsConnected"
        [of]="systems()"
        [columns]="columns"
        [key]="id"
        [covered]="!!field()"
        (again)="open()"
      >
        <button
          i18n
          action
          type="button"
          class="btn first"
          (click)="adding.set(!adding())"
          [attr.aria-expanded]="adding()"
        >
          Connect a system
        </button>
        <label above class="find"
          ><span i18n>Find a field</span
          ><input
            #asked
            class="input"
            type="search"
            [value]="field() ?? ''"
            (input)="ask(asked.value)"
            placeholder="name, label or description, over all systems"
            i18n-placeholder
            autocomplete="off"
        /></label>
        @if (adding()) {
          <vs-new-system above (closed)="adding.set(false)" />
        }
        @if (field()) {
          <div above>
            <vs-loading [of]="found()" (again)="ask(field()!)" words="Looking …" i18n-words />
            @if (found().value; as fields) {
              @if (fields.length === 0) {
                <p i18n class="soft" role="status">
                  No known field has “{{ field() }}” in its name, label or description. Fields are known once their
                  dataset was looked at; on the page of a system, “Look at all datasets” does that.
                </p>
              } @else {
                <table class="rows">
                  <thead>
                    <tr>
                      <th i18n scope="col">Field</th>
                      <th i18n scope="col">Dataset</th>
                      <th i18n scope="col">Type</th>
                      <th i18n scope="col">What it is</th>
                    </tr>
                  </thead>
                  <tbody>
                    @for (f of fields; track f.system + f.dataset + f.field.name) {
                      <tr>
                        <td>
                          <b>{{ f.field.name }}</b>
                          @if (f.field.label) {
                            <small class="soft">{{ f.field.label }}</small>
                          }
                        </td>
                        <td>
                          <a
                            [routerLink]="['/systems', f.system, 'dataset']"
                            [queryParams]="{ name: f.dataset, tab: 'structure' }"
                            >{{ f.systemName }} / {{ f.dataset }}</a
                          >
                        </td>
                        <td>
                          <code>{{ f.field.type }}</code>
                        </td>
                        <td class="soft">{{ f.field.description }}</td>
                      </tr>
                    }
                  </tbody>
                </table>
              }
            }
          </div>
        }
        <ng-template vsCell="name" [like]="systems()" let-s
          ><a [routerLink]="['/systems', s.id]">{{ s.name }}</a></ng-template
        >
        <ng-template vsCell="where" [like]="systems()" let-s
          ><code class="where" [title]="s.where">{{ s.where }}</code></ng-template
        >
        <ng-template vsCell="state" [like]="systems()" let-s
          ><i
            class="shape"
            [class.full]="s.diagnosis?.ok"
            [class.round]="s.diagnosis && !s.diagnosis.ok"
            [class.rubric]="s.diagnosis && !s.diagnosis.ok"
            [class.dashed]="!s.diagnosis"
          ></i
          ><span [class.rub]="s.diagnosis && !s.diagnosis.ok">{{ state(s) }}</span></ng-template
        >
        <ng-template vsCell="waits" [like]="systems()" let-s>
          @if (s.facts.byRequest) {
            <a [routerLink]="['/systems', s.id, 'waiting']">{{ s.waiting | figure }}</a>
          }
        </ng-template>
        <ng-template vsCell="used" [like]="systems()" let-s>
          @for (use of s.usedBy; track use.id + use.as) {
            <a [routerLink]="['/mappings', use.id]">{{ use.name }}</a>{{ $last ? '' : ', ' }}
          } @empty {
            <ng-container i18n> nothing yet </ng-container>
          }
        </ng-template>
      </vs-list>
    </div>
  `,
  styles: `
    .find {
      display: flex;
      align-items: center;
      gap: 10px;
      margin-bottom: 12px;
      .input {
        width: 340px;
      }
    }
    .where {
      display: inline-block;
      max-width: 300px;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
      vertical-align: middle;
      direction: rtl;
      text-align: left;
      unicode-bidi: plaintext;
    }
  `,
})
export class SystemsPage {
  protected readonly phrases = PHRASES;
  readonly field = input<string | undefined>();
  private readonly router = inject(Router);
  private readonly store = inject(Store);
  protected readonly systems = this.store.selectSignal(systemsFeature.selectSystems);
  protected readonly id = (s: System): string => s.id;
  protected readonly columns: readonly Column<System>[] = [
    { key: 'name', title: $localize`System`, class: 'name nowrap', value: (s) => s.name },
    { key: 'kind', title: $localize`Kind`, class: 'soft nowrap', value: (s) => s.facts.words },
    { key: 'where', title: $localize`Reached at`, value: (s) => s.where },
    { key: 'state', title: $localize`State`, class: 'nowrap', value: (s) => stateWords(s) },
    { key: 'waits', title: $localize`Waiting`, figures: true, value: (s) => (s.facts.byRequest ? s.waiting : null) },
    {
      key: 'used',
      title: $localize`Used by`,
      class: 'soft',
      value: (s) => s.usedBy.map((use) => use.name).join(', ') || null,
    },
  ];
  protected readonly adding = signal(false);
  protected readonly found = this.store.selectSignal(structuresFeature.selectFound);
  protected readonly state = stateWords;

  constructor() {
    effect(() => {
      const text = this.field()?.trim();
      if (text) this.store.dispatch(structuresActions.find({ text }));
    });
    this.open();
  }
  protected ask(text: string): void {
    void this.router.navigate([], {
      queryParams: { field: text || null },
      queryParamsHandling: 'merge',
      replaceUrl: true,
    });
  }
  protected open(): void {
    this.store.dispatch(systemsActions.opened());
  }
}
