import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { LoadingComponent } from '../shared/loading.component';
import { SignComponent } from '../shared/signs.component';
import { FigurePipe, FullTimePipe, TimePipe } from '../shared/words';
import { mappingsActions, mappingsFeature } from './mappings.feature';
import { ProgressComponent } from './progress.component';

@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, LoadingComponent, ProgressComponent, SignComponent, FigurePipe, FullTimePipe, TimePipe],
  template: `
    <div class="page">
      <div class="top">
        <h1>Mappings</h1>
        <span class="grow"></span>
        <input
          class="input find"
          type="search"
          aria-label="Find a mapping"
          placeholder="Find a mapping"
          [value]="search() ?? ''"
          (input)="find($any($event.target).value)"
        />
        <a class="btn" routerLink="/mappings/all/awaiting">What awaits whom</a>
        <a class="btn" routerLink="/mappings/all/lines">All lines</a>
        <a class="btn first" routerLink="/mappings/new">New mapping</a>
      </div>
      <p class="sub">The documents that say what fills each target field. What is published is what runs.</p>
      <vs-loading [of]="loading()" (again)="open()" />
      @if (mappings(); as list) {
        @if (list.length > 0) {
          <table class="rows">
            <thead>
              <tr>
                <th scope="col">Mapping</th>
                <th scope="col"><vs-sign of="source" [size]="13" /> Source</th>
                <th scope="col"><vs-sign of="target" [size]="13" /> Target</th>
                <th scope="col">Lines</th>
                <th scope="col">Revision</th>
                <th scope="col" class="n">Failed</th>
                <th scope="col" class="n">Edited</th>
              </tr>
            </thead>
            <tbody>
              @for (m of list; track m.id) {
                <tr>
                  <td class="name">
                    <a [routerLink]="['/mappings', m.id]">{{ m.name }}</a>
                  </td>
                  <td>
                    <code>{{ m.source }}</code>
                    @for (name of m.further; track $index) {
                      <span class="further soft"
                        >with <code>{{ short(name, m.source) }}</code></span
                      >
                    }
                  </td>
                  <td>
                    <code>{{ m.target }}</code>
                  </td>
                  <td class="soft"><vs-progress [states]="m.states" [lines]="m.lines" /></td>
                  <td class="soft revision">
                    @if (m.revision === null) {
                      not published
                    } @else {
                      {{ m.revision
                      }}{{
                        m.changed > 0
                          ? ', ' + m.changed + (m.changed === 1 ? ' line' : ' lines') + ' changed since'
                          : ''
                      }}
                    }
                  </td>
                  <td class="n" [class.rub]="m.openFailures > 0">
                    <a routerLink="/failures" [queryParams]="{ mapping: m.id }">{{ m.openFailures | figure }}</a>
                  </td>
                  <td class="n">
                    <span [title]="m.updatedAt | fullTime">{{ m.updatedAt | time }}</span>
                  </td>
                </tr>
              }
            </tbody>
          </table>
        } @else {
          <p class="empty">
            {{
              search()
                ? 'No mapping has “' + search() + '” in its name, source or target.'
                : 'No mapping yet. Choose a source and a target, and the sheet opens.'
            }}
          </p>
        }
      }
    </div>
  `,
  styles: `
    .find {
      width: 220px;
    }
    .further {
      display: block;
    }
    vs-progress {
      --meter: 80px;
    }
    .revision {
      white-space: nowrap;
    }
    .empty {
      font: 15.2px/1.5 var(--serif);
    }
  `,
})
export class MappingsPage {
  readonly search = input<string | undefined>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly loading = this.store.selectSignal(mappingsFeature.selectMappings);
  protected readonly mappings = computed(() => {
    const words = (this.search() ?? '').toLowerCase();
    return (
      this.loading().value?.filter((m) =>
        [m.name, m.source, ...m.further, m.target].join(' ').toLowerCase().includes(words),
      ) ?? null
    );
  });

  constructor() {
    this.open();
  }
  /** A dataset of the same system without the system's name. */
  protected short(dataset: string, source: string): string {
    const system = source.slice(0, source.indexOf('/') + 1);
    return dataset.startsWith(system) ? dataset.slice(system.length) : dataset;
  }
  protected open(): void {
    this.store.dispatch(mappingsActions.opened());
  }
  protected find(search: string): void {
    void this.router.navigate([], { queryParams: { search: search || null }, replaceUrl: true });
  }
}
