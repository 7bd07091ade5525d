import {
  ChangeDetectionStrategy,
  Component,
  computed,
  type ElementRef,
  inject,
  output,
  signal,
  viewChild,
  afterNextRender,
} from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { Router } from '@angular/router';
import type { System } from '@versicle/contract';
import { catchError, forkJoin, map, of, switchMap, tap, type Observable } from 'rxjs';
import { Api } from '../shared/api';
import { SurfaceDirective } from '../shared/surface.directive';

interface Found {
  readonly what: string;
  readonly name: string;
  readonly path: string[];
  readonly query?: Record<string, string>;
}
const PAGES: Found[] = [
  { what: 'page', name: 'Today', path: ['/today'] },
  { what: 'page', name: 'Systems', path: ['/systems'] },
  { what: 'page', name: 'Mappings', path: ['/mappings'] },
  { what: 'command', name: 'New mapping', path: ['/mappings/new'] },
  { what: 'page', name: 'Plans', path: ['/plans'] },
  { what: 'page', name: 'Runs', path: ['/runs'] },
  { what: 'page', name: 'Failed records', path: ['/failures'] },
  { what: 'page', name: 'Help: functions of rules', path: ['/help'] },
];

/** Ctrl+K: type a few letters of anything that has an address. */
@Component({
  selector: 'vs-finder',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [SurfaceDirective],
  template: `
    <div class="veil" (click)="closed.emit()" role="presentation"></div>
    <div class="finder" vsSurface [over]="true" role="dialog" aria-modal="true" aria-label="Find anything">
      <input
        #box
        class="input"
        role="combobox"
        aria-label="Find anything"
        aria-controls="found"
        aria-expanded="true"
        [attr.aria-activedescendant]="hits().length ? 'found-' + at() : null"
        placeholder="A mapping, system, dataset, run or page"
        (input)="type(box.value)"
        (keydown)="key($event)"
      />
      <ul id="found" role="listbox" aria-label="Found">
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
          </li>
        } @empty {
          <li class="none" role="option" aria-selected="false">
            {{ looking() ? 'Looking …' : 'Nothing has “' + text() + '” in its name.' }}
          </li>
        }
      </ul>
    </div>
  `,
  styles: `
    .veil {
      position: fixed;
      inset: 0;
      background: rgba(28, 36, 48, 0.25);
      z-index: 1090;
    }
    .finder {
      position: fixed;
      top: 92px;
      left: 50%;
      width: 560px;
      margin-left: -200px;
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
      width: 84px;
      color: var(--ink-3);
    }
    .none {
      color: var(--ink-3);
      cursor: default;
    }
  `,
})
export class FinderComponent {
  readonly closed = output();
  private readonly router = inject(Router);
  private readonly api = inject(Api);
  private readonly box = viewChild.required<ElementRef<HTMLInputElement>>('box');
  protected readonly text = signal('');
  protected readonly at = signal(0);
  private readonly mappings = signal<Found[] | null>(null);
  private readonly systems = signal<Found[] | null>(null);
  private readonly runs = signal<Found[] | null>(null);
  private readonly all = computed(() => [
    ...(this.mappings() ?? []),
    ...(this.systems() ?? []),
    ...PAGES,
    ...(this.runs() ?? []),
  ]);
  protected readonly looking = computed(() => !this.mappings() || !this.systems() || !this.runs());
  /** Enter was pressed before everything was there: the answer must not depend on how fast the lists come. */
  private entered = false;
  protected readonly hits = computed(() => {
    const words = this.text().toLowerCase().split(/\s+/).filter(Boolean);
    return this.all()
      .filter((f) => words.every((w) => `${f.what} ${f.name}`.toLowerCase().includes(w)))
      .slice(0, 40);
  });

  constructor() {
    afterNextRender(() => this.box().nativeElement.focus());
    const lists = [
      this.listMappings().pipe(tap((found) => this.mappings.set(found))),
      this.listSystems().pipe(tap((found) => this.systems.set(found))),
      this.listRuns().pipe(tap((found) => this.runs.set(found))),
    ];
    forkJoin(lists)
      .pipe(takeUntilDestroyed())
      .subscribe(() => {
        if (this.entered) this.enter();
      });
  }

  /** What can't be had is just not found; its own page says why. */
  private listMappings(): Observable<Found[]> {
    return this.api.call('listMappings', {}).pipe(
      map((list) => list.map((m): Found => ({ what: 'mapping', name: m.name, path: ['/mappings', m.id] }))),
      catchError(() => of<Found[]>([])),
    );
  }
  private listRuns(): Observable<Found[]> {
    return this.api.call('listRuns', { query: { limit: 50 } }).pipe(
      map((list) =>
        list.map((r): Found => ({
          what: 'run',
          name: `${r.id} · ${r.planName} · ${r.state}`,
          path: ['/runs', String(r.id)],
        })),
      ),
      catchError(() => of<Found[]>([])),
    );
  }
  private listSystems(): Observable<Found[]> {
    return this.api.call('listSystems', {}).pipe(
      switchMap((list) => (list.length === 0 ? of([]) : forkJoin(list.map((s) => this.system(s))))),
      map((found) => found.flat()),
      catchError(() => of<Found[]>([])),
    );
  }
  private system({ id, name, diagnosis }: System): Observable<Found[]> {
    const itself: Found = { what: 'system', name, path: ['/systems', id] };
    // One that does not answer is not waited for.
    if (!diagnosis?.ok) return of([itself]);
    return this.api.call('listDatasets', { params: { id } }).pipe(
      map((list) => [
        itself,
        ...list.map((d): Found => ({
          what: 'dataset',
          name: `${name} / ${d.name}`,
          path: ['/systems', id, 'dataset'],
          query: { name: d.name },
        })),
      ]),
      catchError(() => of([itself])),
    );
  }

  protected type(text: string): void {
    this.text.set(text);
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
    const hit = this.hits()[this.at()];
    if (hit) this.go(hit);
    else this.entered = this.looking();
  }
  protected go(hit: Found): void {
    void this.router.navigate(hit.path, hit.query ? { queryParams: hit.query } : {});
    this.closed.emit();
  }
}
