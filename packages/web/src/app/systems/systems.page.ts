import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { LoadingComponent } from '../shared/loading.component';
import { structuresActions, structuresFeature } from '../structures/structures.feature';
import { NewSystemComponent } from './new-system.component';
import { stateWords } from './system-words';
import { systemsActions, systemsFeature } from './systems.feature';

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, LoadingComponent, NewSystemComponent],
  template: `
    <div class="page">
      <div class="top">
        <h1>Systems</h1>
        <span class="grow"></span>
        <button type="button" class="btn first" (click)="adding.set(!adding())" [attr.aria-expanded]="adding()">
          Connect a system
        </button>
      </div>
      <p class="sub">Where records come from and where they go. Each is reached through its connection.</p>
      <label class="find"
        ><span>Find a field</span
        ><input
          #asked
          class="input"
          type="search"
          [value]="field() ?? ''"
          (input)="ask(asked.value)"
          placeholder="name, label or description, over all systems"
          autocomplete="off"
      /></label>
      @if (adding()) {
        <vs-new-system (closed)="adding.set(false)" />
      }
      @if (field()) {
        <vs-loading [of]="found()" (again)="ask(field()!)" words="Looking …" />
        @if (found().value; as fields) {
          @if (fields.length === 0) {
            <p class="soft" role="status">
              No known field has “{{ field() }}” in its name, label or description. Fields are known once their dataset
              was looked at; on the page of a system, “Look at all datasets” does that.
            </p>
          } @else {
            <table class="rows">
              <thead>
                <tr>
                  <th scope="col">Field</th>
                  <th scope="col">Dataset</th>
                  <th scope="col">Type</th>
                  <th scope="col">What it is</th>
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
      } @else {
        <vs-loading [of]="loading()" (again)="open()" />
        @if (systems(); as list) {
          @if (list.length === 0 && !adding()) {
            <p class="empty">No system is connected yet. Begin with the one that the records come from.</p>
          }
          @if (list.length > 0) {
            <table class="rows">
              <thead>
                <tr>
                  <th scope="col">System</th>
                  <th scope="col">Kind</th>
                  <th scope="col">Reached at</th>
                  <th scope="col">State</th>
                  <th scope="col">Used by</th>
                </tr>
              </thead>
              <tbody>
                @for (s of list; track s.id) {
                  <tr>
                    <td class="name">
                      <a [routerLink]="['/systems', s.id]">{{ s.name }}</a>
                    </td>
                    <td class="soft kind">{{ s.facts.words }}</td>
                    <td>
                      <code class="where" [title]="s.where">{{ s.where }}</code>
                    </td>
                    <td class="state">
                      <i
                        class="shape"
                        [class.full]="s.diagnosis?.ok"
                        [class.round]="s.diagnosis && !s.diagnosis.ok"
                        [class.rubric]="s.diagnosis && !s.diagnosis.ok"
                        [class.dashed]="!s.diagnosis"
                      ></i
                      ><span [class.rub]="s.diagnosis && !s.diagnosis.ok">{{ state(s) }}</span>
                    </td>
                    <td class="soft">
                      @for (use of s.usedBy; track use.id + use.as) {
                        <a [routerLink]="['/mappings', use.id]">{{ use.name }}</a>{{ $last ? '' : ', ' }}
                      } @empty {
                        nothing yet
                      }
                    </td>
                  </tr>
                }
              </tbody>
            </table>
          }
        }
      }
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
    .empty {
      font: 15.2px/1.5 var(--serif);
    }
    .name {
      min-width: 190px;
    }
    .kind,
    .state {
      white-space: nowrap;
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
  readonly field = input<string | undefined>();
  private readonly router = inject(Router);
  private readonly store = inject(Store);
  protected readonly loading = this.store.selectSignal(systemsFeature.selectSystems);
  protected readonly systems = computed(() => this.loading().value);
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
    void this.router.navigate([], { queryParams: { field: text || null }, replaceUrl: true });
  }
  protected open(): void {
    this.store.dispatch(systemsActions.opened());
  }
}
