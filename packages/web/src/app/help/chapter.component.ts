import { ChangeDetectionStrategy, Component, computed, effect, ElementRef, inject, input, output } from '@angular/core';
import { rxResource } from '@angular/core/rxjs-interop';
import { Router } from '@angular/router';
import { Guide } from './guide';

/** One chapter of the guide, as a document. */
@Component({
  selector: 'vs-chapter',
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { '(click)': 'follow($event)' },
  template: `
    @if (failed()) {
      <p i18n class="rub" role="alert">The chapter could not be loaded. Is the server still running?</p>
    }
    @for (s of sections(); track s.id) {
      <section [id]="'guide-' + s.id">
        @if (s.depth === 1) {
          <h1>{{ s.title }}</h1>
        } @else if (s.depth === 2) {
          <h2>{{ s.title }}</h2>
        } @else {
          <h3>{{ s.title }}</h3>
        }
        <div class="text" [innerHTML]="s.html"></div>
      </section>
    } @empty {
      @if (!failed()) {
        <p i18n class="soft" role="status">Loading …</p>
      }
    }
  `,
  styleUrl: './chapter.component.less',
})
export class ChapterComponent {
  readonly chapter = input.required<string>();
  /** The heading that it opens at. */
  readonly at = input<string | null>(null);
  /** A link of the guide was followed: to a chapter and its heading. */
  readonly followed = output<{ chapter: string; at: string | null }>();
  private readonly guide = inject(Guide);
  private readonly router = inject(Router);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private readonly loaded = rxResource({
    params: () => this.chapter(),
    stream: ({ params }) => this.guide.chapter(params),
  });
  protected readonly failed = computed(() => this.loaded.status() === 'error');
  protected readonly sections = computed(() => (this.failed() ? [] : (this.loaded.value() ?? [])));

  constructor() {
    effect(() => {
      const at = this.at();
      if (at === null || this.sections().length === 0) return;
      setTimeout(() => this.host.querySelector(`[id="guide-${CSS.escape(at)}"]`)?.scrollIntoView({ block: 'start' }));
    });
  }

  /** Links within the application are followed within it. */
  protected follow(event: MouseEvent): void {
    const href = (event.target as HTMLElement).closest('a')?.getAttribute('href');
    if (!href?.startsWith('/') || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    const inside = /^\/help\/([\w-]+)(?:#(.+))?$/.exec(href);
    if (inside) this.followed.emit({ chapter: inside[1]!, at: inside[2] ?? null });
    else void this.router.navigateByUrl(href);
  }
}
