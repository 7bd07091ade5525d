import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { rxResource, toSignal } from '@angular/core/rxjs-interop';
import { ActivatedRoute, Router, RouterLink, RouterLinkActive } from '@angular/router';
import { of } from 'rxjs';
import { EVERYWHERE, LIST_KEYS, SHEET_KEYS } from '../frame/keys';
import { FindKeyDirective } from '../shared/find-key.directive';
import { pageTitle } from '../shared/page-title';
import { ChapterComponent } from './chapter.component';
import { CHAPTERS } from './chapters';
import { Guide } from './guide';

/** The guide: its chapters at the left, the open one at the right; finding looks into all of them. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, RouterLinkActive, ChapterComponent, FindKeyDirective],
  template: `
    <div class="halves">
      <nav class="chapters" aria-label="Chapters" i18n-aria-label>
        <h2 i18n>Help</h2>
        <input
          #box
          vsFindKey
          class="input"
          type="search"
          aria-label="Find in the guide"
          i18n-aria-label
          placeholder="Find in the guide"
          i18n-placeholder
          [value]="search() ?? ''"
          (input)="find(box.value)"
        />
        @if (search()) {
          <ul class="hits" aria-label="Found" i18n-aria-label>
            @for (hit of hits(); track hit.id) {
              <li>
                <a [routerLink]="['/help', hit.chapter]" [fragment]="hit.section" queryParamsHandling="preserve"
                  >{{ hit.title }}
                  @if (hit.title !== hit.chapterTitle) {
                    <small>{{ hit.chapterTitle }}</small>
                  }
                </a>
              </li>
            }
          </ul>
          <p class="soft" role="status">{{ told() }}</p>
        } @else {
          <ol>
            @for (c of chapters; track c.id) {
              <li>
                <a [routerLink]="['/help', c.id]" routerLinkActive="on" ariaCurrentWhenActive="page"
                  >{{ c.title }}<small>{{ c.about }}</small></a
                >
              </li>
            }
            <li>
              <a i18n routerLink="/help/keys" routerLinkActive="on" ariaCurrentWhenActive="page"
                >Keys<small>What each key does, and where.</small></a
              >
            </li>
          </ol>
        }
      </nav>
      <article class="open" tabindex="0" aria-label="Chapter" i18n-aria-label>
        @if (chapter() === 'keys') {
          <h1 i18n>Keys</h1>
          @for (group of keys; track group.title) {
            <h2>{{ group.title }}</h2>
            <dl>
              @for (key of group.keys; track key.does) {
                <dt>
                  @for (k of key.keys; track k) {
                    <kbd>{{ k }}</kbd>&ngsp;
                  }
                </dt>
                <dd>{{ key.does }}</dd>
              }
            </dl>
          }
        } @else if (known()) {
          <vs-chapter [chapter]="chapter()" [at]="fragment() ?? null" (followed)="go($event)" />
        } @else {
          <h1 i18n>There is no such chapter</h1>
          <p i18n class="soft">The guide has no chapter “{{ chapter() }}”; choose one at the left.</p>
        }
      </article>
    </div>
  `,
  styleUrl: './help.page.less',
})
export class HelpPage {
  readonly chapter = input('first-steps');
  readonly search = input<string | undefined>();
  private readonly router = inject(Router);
  private readonly guide = inject(Guide);
  protected readonly fragment = toSignal(inject(ActivatedRoute).fragment);
  protected readonly chapters = CHAPTERS;
  protected readonly keys = [
    { title: $localize`On the sheet`, keys: SHEET_KEYS },
    { title: $localize`In lists`, keys: LIST_KEYS },
    { title: $localize`Everywhere`, keys: EVERYWHERE },
  ];
  protected readonly known = computed(() => CHAPTERS.some((c) => c.id === this.chapter()));
  private readonly found = rxResource({
    params: () => this.search()?.trim() ?? '',
    stream: ({ params }) => (params === '' ? of([]) : this.guide.find(params)),
  });
  protected readonly hits = computed(() => (this.found.status() === 'error' ? [] : (this.found.value() ?? [])));
  protected readonly told = computed(() => {
    if (this.found.status() === 'error') return $localize`The guide could not be loaded. Is the server still running?`;
    if (this.found.isLoading()) return $localize`Looking …`;
    return this.hits().length === 0 ? $localize`Nothing in the guide has “${this.search()}”.` : '';
  });

  constructor() {
    pageTitle(() => CHAPTERS.find((c) => c.id === this.chapter())?.title);
  }
  protected find(search: string): void {
    void this.router.navigate([], { queryParams: { search: search || null }, replaceUrl: true });
  }
  protected go({ chapter, at }: { chapter: string; at: string | null }): void {
    void this.router.navigate(['/help', chapter], at === null ? {} : { fragment: at });
  }
}
