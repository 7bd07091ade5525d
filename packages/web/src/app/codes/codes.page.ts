import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { LoadingComponent } from '../shared/loading.component';
import { FigurePipe, FullTimePipe, TimePipe } from '../shared/words';
import { codesActions, codesFeature } from './codes.feature';

/** All code tables: those that mappings share, and those that stand in one mapping only. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, LoadingComponent, FigurePipe, FullTimePipe, TimePipe],
  template: `
    <div class="page">
      <div class="top">
        <h1>Code tables</h1>
        <span class="grow"></span>
        <input
          class="input find"
          type="search"
          aria-label="Find a code table"
          placeholder="Find a code table"
          [value]="search() ?? ''"
          (input)="find($any($event.target).value)"
        />
        <form class="new" (submit)="add($event, name)">
          <input #name class="input" aria-label="Name of a new code table" placeholder="name of a new table" />
          <button type="submit" class="btn first">Add a table</button>
        </form>
      </div>
      <p class="sub">
        What a code of the source becomes in the target. Mappings take a table over; what runs lack is filled here.
      </p>
      @if (refused()) {
        <p class="rub" role="alert">{{ refused() }}</p>
      }
      <vs-loading [of]="loading()" (again)="open()" />
      @if (tables(); as list) {
        @if (list.length > 0) {
          <table class="rows">
            <thead>
              <tr>
                <th scope="col">Code table</th>
                <th scope="col" class="n">Codes</th>
                <th scope="col">Used in</th>
                <th scope="col">Lacks</th>
                <th scope="col">By</th>
                <th scope="col" class="n">Changed</th>
              </tr>
            </thead>
            <tbody>
              @for (t of list; track t.name) {
                <tr>
                  <td class="name">
                    @if (t.kept) {
                      <a [routerLink]="['/codes', t.name]">{{ t.name }}</a>
                    } @else {
                      {{ t.name }}
                    }
                    @if (t.description) {
                      <span class="soft">{{ t.description }}</span>
                    }
                  </td>
                  <td class="n">{{ t.codes | figure }}</td>
                  <td>
                    @for (u of t.usedIn; track u.mapping) {
                      <a [routerLink]="['/mappings', u.mapping]" [queryParams]="{ view: 'codes' }">{{ u.name }}</a>
                      @if (!u.same && t.kept) {
                        <span class="soft differs">its own copy differs</span>
                      }
                      <br />
                    } @empty {
                      <span class="soft">nowhere</span>
                    }
                  </td>
                  <td [class.rub]="t.missing > 0">
                    {{ t.missing === 0 ? 'nothing' : t.missing === 1 ? '1 code' : (t.missing | figure) + ' codes' }}
                  </td>
                  <td class="soft">{{ t.updatedBy }}</td>
                  <td class="n">
                    @if (t.updatedAt; as at) {
                      <span [title]="at | fullTime">{{ at | time }}</span>
                    } @else {
                      <button type="button" class="btn quiet" (click)="keep(t.name, t.usedIn[0]!.mapping)">
                        Keep {{ t.name }} for all mappings
                      </button>
                    }
                  </td>
                </tr>
              }
            </tbody>
          </table>
        } @else {
          <p class="empty">
            {{
              search()
                ? 'No code table has “' + search() + '” in its name.'
                : 'No code table yet. Name one, or keep one that a mapping has.'
            }}
          </p>
        }
      }
    </div>
  `,
  styles: `
    .find {
      width: 190px;
    }
    .new {
      display: flex;
      gap: 8px;
    }
    .name .soft {
      display: block;
      font: 13px/1.35 var(--sans);
    }
    .differs {
      margin-left: 7px;
    }
    .empty {
      font: 15.2px/1.5 var(--serif);
    }
  `,
})
export class CodesPage {
  readonly search = input<string | undefined>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly loading = this.store.selectSignal(codesFeature.selectTables);
  protected readonly refused = this.store.selectSignal(codesFeature.selectRefused);
  protected readonly tables = computed(() => {
    const words = (this.search() ?? '').toLowerCase();
    return this.loading().value?.filter((t) => `${t.name} ${t.description}`.toLowerCase().includes(words)) ?? null;
  });
  constructor() {
    this.open();
  }
  protected open(): void {
    this.store.dispatch(codesActions.listOpened());
  }
  protected add(event: Event, box: HTMLInputElement): void {
    event.preventDefault();
    const name = box.value.trim();
    if (name !== '') this.store.dispatch(codesActions.create({ name, mapping: null }));
  }
  protected keep(name: string, mapping: string): void {
    this.store.dispatch(codesActions.create({ name, mapping }));
  }
  protected find(search: string): void {
    void this.router.navigate([], { queryParams: { search: search || null }, replaceUrl: true });
  }
}
