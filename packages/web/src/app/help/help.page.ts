import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { Router } from '@angular/router';
import { functions } from '@versicle/core';
import { EVERYWHERE, SHEET_KEYS } from '../frame/keys';

const GROUPS: readonly [key: string, title: string][] = [
  ['text', 'Text'],
  ['number', 'Numbers'],
  ['date', 'Dates and times'],
  ['array', 'Arrays of texts'],
  ['json', 'JSON'],
  ['choice', 'Choosing'],
  ['aggregate', 'Aggregates, where the source set groups'],
  ['lookup', 'Looking up, reading strictly, failing on purpose'],
];

/** The functions that rules know, from the same registry that checks and runs them, and the keys. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <div class="page">
      <div class="top">
        <h1>Help</h1>
        <span class="grow"></span>
        <input
          class="input find"
          type="search"
          aria-label="Find a function"
          placeholder="Find a function"
          [value]="search() ?? ''"
          (input)="find($any($event.target).value)"
        />
      </div>
      <p class="sub">
        Rules, conditions, defaults, filters and checks are standard SQL expressions, with PostgreSQL’s functions and
        PostgreSQL’s answers.
      </p>
      @for (group of groups(); track group.title) {
        <h2>{{ group.title }}</h2>
        <dl>
          @for (f of group.functions; track f.name) {
            <dt>
              <code>{{ f.signature }}</code>
            </dt>
            <dd>
              {{ f.summary }}
              <span class="example"
                ><code>{{ f.example.rule }}</code>
                @if (f.group !== 'aggregate') {
                  gives <code>{{ f.example.value ?? 'null' }}</code>
                }
              </span>
            </dd>
          }
        </dl>
      } @empty {
        <p class="soft">No function has “{{ search() }}” in its name or description.</p>
      }
      @if (!search()) {
        <h2>Keys on the sheet</h2>
        <dl class="keys">
          @for (key of keys; track key.does) {
            <dt>
              @for (k of key.keys; track k) {
                <kbd>{{ k }}</kbd>&ngsp;
              }
            </dt>
            <dd>{{ key.does }}</dd>
          }
        </dl>
      }
    </div>
  `,
  styles: `
    .find {
      width: 240px;
    }
    dl {
      display: grid;
      grid-template-columns: 400px minmax(0, 1fr);
      margin: 0;
    }
    dl.keys {
      grid-template-columns: 140px minmax(0, 1fr);
    }
    dt,
    dd {
      margin: 0;
      padding: 5px 10px 5px 0;
      border-top: 1px solid var(--hair);
      overflow-wrap: anywhere;
    }
    .example {
      display: block;
      color: var(--ink-3);
    }
  `,
})
export class HelpPage {
  readonly search = input<string | undefined>();
  private readonly router = inject(Router);
  protected readonly keys = [...SHEET_KEYS, ...EVERYWHERE];
  protected readonly groups = computed(() => {
    const words = (this.search() ?? '').toLowerCase();
    return GROUPS.map(([key, title]) => ({
      title,
      functions: [...functions.values()].filter(
        (f) => f.group === key && `${f.name} ${f.summary}`.toLowerCase().includes(words),
      ),
    })).filter((g) => g.functions.length > 0);
  });
  protected find(search: string): void {
    void this.router.navigate([], { queryParams: { search: search || null }, replaceUrl: true });
  }
}
