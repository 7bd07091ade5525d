import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { CrumbsComponent } from '../shared/crumbs.component';
import type { LineOfAll } from '@versicle/contract';
import { LoadingComponent } from '../shared/loading.component';
import { capital, FigurePipe, inWords } from '../shared/words';
import { mappingsActions, mappingsFeature } from './mappings.feature';

interface Awaited {
  readonly mapping: string;
  readonly name: string;
  readonly lines: readonly LineOfAll[];
}

/** Who is waited for where nobody is named. */
const NOBODY = $localize`Nobody yet`;

/** What the template says in one case or another. */
const PHRASES = {
  mappings: $localize`Mappings`,
  questionsTo: $localize`Questions to `,
};

/** What awaits whom: questions by the person they are put to, lines to sign, lines to map. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [CrumbsComponent, RouterLink, LoadingComponent, FigurePipe],
  template: `
    <div class="page">
      <vs-crumbs [of]="[{ words: phrases.mappings, to: '/mappings' }]" />
      <h1 i18n>What awaits whom</h1>
      <p class="sub">{{ summary() }}</p>
      <vs-loading [of]="loading()" (again)="open()" />
      @if (loading().value) {
        @for (p of people(); track p.person) {
          <section [attr.aria-label]="phrases.questionsTo + p.person">
            <h2>
              {{ p.person }} <small i18n>{{ p.count | figure }} to answer</small>
            </h2>
            @for (m of p.mappings; track m.mapping) {
              <p>
                <a [routerLink]="['/mappings', m.mapping]" [queryParams]="{ view: 'questions' }">{{ m.name }}</a>
                @for (l of m.lines; track l.line) {
                  <a i18n class="line" [routerLink]="['/mappings', m.mapping]" [queryParams]="{ line: l.line }"
                    >line {{ l.number }} <i>{{ l.label }}</i></a
                  >
                }
              </p>
            }
          </section>
        }
        @for (part of parts(); track part.title) {
          <section [attr.aria-label]="part.title">
            <h2>
              {{ part.title }} <small>{{ part.words }}</small>
            </h2>
            @for (m of part.mappings; track m.mapping) {
              <p>
                <a [routerLink]="['/mappings', m.mapping]" [queryParams]="{ show: part.show }">{{ m.name }}</a>
                @for (l of m.lines.slice(0, 12); track l.line) {
                  <a i18n class="line" [routerLink]="['/mappings', m.mapping]" [queryParams]="{ line: l.line }"
                    >line {{ l.number }} <i>{{ l.label }}</i></a
                  >
                }
                @if (m.lines.length > 12) {
                  <span i18n class="soft">and {{ m.lines.length - 12 | figure }} more</span>
                }
              </p>
            } @empty {
              <p i18n class="soft">Nothing.</p>
            }
          </section>
        }
      }
    </div>
  `,
  styles: `
    section p {
      max-width: 900px;
      padding: 5px 0;
      border-top: 1px solid var(--hair);
    }
    .line {
      font-weight: 400;
      margin-left: 14px;
      white-space: nowrap;
      display: inline-block;
    }
    .line i {
      font-family: var(--serif);
      color: var(--ink-2);
    }
  `,
})
export class AwaitingPage {
  protected readonly phrases = PHRASES;
  private readonly store = inject(Store);
  protected readonly loading = this.store.selectSignal(mappingsFeature.selectLines);
  private readonly lines = computed(() => this.loading().value ?? []);
  protected readonly people = computed(() => {
    const asked = this.lines().filter((l) => l.questions > 0);
    const names = [...new Set(asked.flatMap((l) => (l.waitsFor.length > 0 ? l.waitsFor : [NOBODY])))].sort();
    return names.map((person) => {
      const lines = asked.filter((l) => (person === NOBODY ? l.waitsFor.length === 0 : l.waitsFor.includes(person)));
      return { person, count: lines.length, mappings: byMapping(lines) };
    });
  });
  protected readonly parts = computed(() => [
    {
      title: $localize`To be signed`,
      words: $localize`drafted lines; who signs sets them to agreed`,
      show: 'drafted',
      mappings: byMapping(this.lines().filter((l) => l.state === 'drafted')),
    },
    {
      title: $localize`To be mapped`,
      words: $localize`nobody has said what fills them`,
      show: 'to map',
      mappings: byMapping(this.lines().filter((l) => l.state === 'to map')),
    },
  ]);
  protected readonly summary = computed(() => {
    const count = (state: LineOfAll['state']): number => this.lines().filter((l) => l.state === state).length;
    const questions = this.lines().reduce((n, l) => n + l.questions, 0);
    return $localize`${capital(inWords(questions, $localize`question is`, $localize`questions are`))} open, ${inWords(count('drafted'), $localize`line`, $localize`lines`)} to be signed, ${inWords(count('to map'), $localize`line`, $localize`lines`)} to be mapped.`;
  });
  constructor() {
    this.open();
  }
  protected open(): void {
    this.store.dispatch(mappingsActions.linesOpened());
  }
}

function byMapping(lines: readonly LineOfAll[]): Awaited[] {
  const found = new Map<string, Awaited>();
  for (const line of lines) {
    const known = found.get(line.mapping);
    found.set(line.mapping, { mapping: line.mapping, name: line.name, lines: [...(known?.lines ?? []), line] });
  }
  return [...found.values()];
}
