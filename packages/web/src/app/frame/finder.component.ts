import {
  afterNextRender,
  ChangeDetectionStrategy,
  Component,
  computed,
  type ElementRef,
  inject,
  Injector,
  output,
  signal,
  viewChild,
} from '@angular/core';
import { takeUntilDestroyed, toObservable } from '@angular/core/rxjs-interop';
import { Router } from '@angular/router';
import { catchError, debounceTime, forkJoin, from, map, of, switchMap, tap, type Observable } from 'rxjs';
import { Api, type ServerProblem } from '../shared/api';
import { SurfaceDirective } from '../shared/surface.directive';
import { type Hit, hitOf, PAGES } from './found-hits';
import { Lately } from './lately';

/** What the template says in one case or another. */
const PHRASES = {
  looking: $localize`Looking …`,
  nothingIsCalled: $localize`Nothing is called “`,
  orLikeIt: $localize`”, or like it.`,
};

/** Ctrl+K: type a few letters of anything that has an address. */
@Component({
  selector: 'vs-finder',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [SurfaceDirective],
  template: `
    <div class="veil" (click)="closed.emit()" role="presentation"></div>
    <div
      class="finder"
      vsSurface
      [over]="true"
      role="dialog"
      aria-modal="true"
      aria-label="Find anything"
      i18n-aria-label
    >
      <input
        #box
        class="input"
        role="combobox"
        aria-label="Find anything"
        i18n-aria-label
        aria-controls="found"
        aria-expanded="true"
        [attr.aria-activedescendant]="hits().length ? 'found-' + at() : null"
        placeholder="A mapping, line, field, dataset, system, plan, run, failed record or page"
        i18n-placeholder
        autocomplete="off"
        maxlength="200"
        (input)="type(box.value)"
        (keydown)="key($event)"
      />
      <ul id="found" role="listbox" aria-label="Found" i18n-aria-label>
        @for (hit of hits(); track $index) {
          <li
            role="option"
            [id]="'found-' + $index"
            [attr.aria-selected]="$index === at()"
            [class.on]="$index === at()"
            tabindex="-1"
            (click)="go(hit)"
            (keydown.enter)="go(hit)"
          >
            <span class="what">{{ hit.what }}</span>{{ hit.name }}
            @if (hit.note) {
              <span class="note">{{ hit.note }}</span>
            }
          </li>
        } @empty {
          <li class="none" role="option" aria-selected="false">
            {{ problem() ?? (looking() ? phrases.looking : phrases.nothingIsCalled + text() + phrases.orLikeIt) }}
          </li>
        }
      </ul>
      <p class="unseen" role="status">{{ told() }}</p>
    </div>
  `,
  styles: `
    .veil {
      position: fixed;
      inset: 0;
      background: var(--veil);
      z-index: 1090;
    }
    .finder {
      position: fixed;
      top: 92px;
      left: 50%;
      width: 640px;
      max-width: calc(100vw - 24px);
      transform: translateX(-50%);
      background: var(--raised);
      border: 1px solid var(--line);
      border-radius: 4px;
      padding: 10px;
      z-index: 1100;
    }
    ul {
      list-style: none;
      margin: 8px 0 0;
      padding: 0;
      max-height: 380px;
      overflow: auto;
    }
    li {
      padding: 5px 8px;
      cursor: pointer;
      border-radius: 3px;
      white-space: nowrap;
      overflow: hidden;
      text-overflow: ellipsis;
    }
    li.on {
      background: var(--act-wash);
    }
    .what {
      display: inline-block;
      width: 96px;
      color: var(--ink-3);
    }
    .note {
      margin-left: 10px;
      color: var(--ink-3);
    }
    .none {
      color: var(--ink-3);
      cursor: default;
    }
  `,
})
export class FinderComponent {
  protected readonly phrases = PHRASES;
  readonly closed = output();
  private readonly router = inject(Router);
  private readonly api = inject(Api);
  private readonly injector = inject(Injector);
  private readonly box = viewChild.required<ElementRef<HTMLInputElement>>('box');
  protected readonly text = signal('');
  protected readonly at = signal(0);
  protected readonly problem = signal<string | null>(null);
  /** What the server and the guide found, and for which text. */
  private readonly found = signal<{ readonly text: string; readonly hits: readonly Hit[] }>({ text: '', hits: [] });
  protected readonly looking = computed(() => this.problem() === null && this.found().text !== this.text());
  private readonly lately = inject(Lately)
    .others()
    .map((v): Hit => ({ what: 'lately', name: v.title, note: '', path: [v.url] }));
  /** Enter was pressed before the answer was there: what it opens must not depend on how fast that comes. */
  private entered = false;
  protected readonly hits = computed((): readonly Hit[] => {
    const words = this.text().toLowerCase().split(/\s+/).filter(Boolean);
    if (words.length === 0) return [...this.lately, ...PAGES].slice(0, 40);
    const pages = PAGES.filter((p) => words.every((w) => `${p.what} ${p.name}`.toLowerCase().includes(w)));
    // What was found for the text before would lead elsewhere than Enter is meant.
    const found = this.looking() ? [] : this.found().hits;
    return [...pages.filter((p) => p.name.toLowerCase().startsWith(this.text().toLowerCase())), ...found, ...pages]
      .filter((hit, i, all) => all.indexOf(hit) === i)
      .slice(0, 40);
  });
  protected readonly told = computed(() =>
    this.looking()
      ? ''
      : this.hits().length === 0
        ? $localize`Nothing found`
        : $localize`${this.hits().length} found; first ${this.hits()[0]!.what} ${this.hits()[0]!.name}`,
  );

  constructor() {
    afterNextRender(() => this.box().nativeElement.focus());
    toObservable(this.text)
      .pipe(
        debounceTime(60),
        switchMap((text) =>
          (text.trim() === '' ? of([]) : this.look(text)).pipe(
            tap((hits) => this.found.set({ text, hits })),
            catchError((error: ServerProblem) => {
              this.problem.set(error.message);
              return of([]);
            }),
          ),
        ),
        takeUntilDestroyed(),
      )
      .subscribe(() => {
        if (this.entered) this.enter();
      });
  }
  private look(text: string): Observable<readonly Hit[]> {
    return forkJoin([
      this.api.call('find', { query: { text } }).pipe(map((found) => found.map(hitOf))),
      this.chapters(text),
    ]).pipe(map(([found, chapters]) => [...found, ...chapters]));
  }
  /** The guide comes with its own search, which the first page does without. */
  private chapters(text: string): Observable<Hit[]> {
    return from(import('../help/guide')).pipe(
      switchMap(({ Guide }) => this.injector.get(Guide).find(text)),
      map((hits) =>
        hits.slice(0, 6).map((h): Hit => ({
          what: 'help',
          name: h.title,
          note: h.title === h.chapterTitle ? '' : h.chapterTitle,
          path: ['/help', h.chapter],
          fragment: h.section,
        })),
      ),
      // Everything else is found without it.
      catchError(() => of([])),
    );
  }

  protected type(text: string): void {
    this.text.set(text);
    this.problem.set(null);
    this.at.set(0);
    this.entered = false;
  }
  protected key(event: KeyboardEvent): void {
    const { length } = this.hits();
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      event.preventDefault();
      if (length > 0) this.at.update((at) => (at + (event.key === 'ArrowDown' ? 1 : length - 1)) % length);
      document.getElementById(`found-${this.at()}`)?.scrollIntoView({ block: 'nearest' });
    } else if (event.key === 'Enter') {
      this.enter();
    }
  }
  private enter(): void {
    if (this.looking()) {
      this.entered = true;
      return;
    }
    const hit = this.hits()[this.at()];
    if (hit) this.go(hit);
  }
  protected go(hit: Hit): void {
    if (hit.what === 'lately') void this.router.navigateByUrl(hit.path[0]!);
    else
      void this.router.navigate([...hit.path], {
        ...(hit.query ? { queryParams: hit.query } : {}),
        ...(hit.fragment ? { fragment: hit.fragment } : {}),
      });
    this.closed.emit();
  }
}
