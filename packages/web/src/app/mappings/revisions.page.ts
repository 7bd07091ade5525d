import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { pageTitle } from '../shared/page-title';
import { CrumbsComponent } from '../shared/crumbs.component';
import { SELECT } from '../shared/select';
import { LoadingComponent } from '../shared/loading.component';
import { FullTimePipe, TimePipe } from '../shared/words';
import { DifferenceComponent } from './difference.component';
import { mappingsActions, mappingsFeature } from './mappings.feature';
import { AskComponent } from '../shared/ask.component';

/** What the template says in one case or another. */
const PHRASES = {
  mappings: $localize`Mappings`,
  revision: $localize`revision `,
  nothingNotPublishedYet: $localize`nothing; not published yet`,
  replaceTheDraftBy: $localize`Replace the draft by revision `,
};

/** The revisions of a mapping; any two of them, or one and the draft, side by side. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    AskComponent,
    CrumbsComponent,
    FormsModule,
    RouterLink,
    SELECT,
    LoadingComponent,
    DifferenceComponent,
    FullTimePipe,
    TimePipe,
  ],
  template: `
    <div class="page">
      <vs-crumbs
        [of]="[
          { words: phrases.mappings, to: '/mappings' },
          { words: id(), to: ['/mappings', id()] },
        ]"
      />
      <h1 i18n>Revisions</h1>
      <p i18n class="sub">A revision never changes; runs carry out revisions only.</p>
      <vs-loading [of]="revisions()" (again)="open()" />
      @if (revisions().value; as list) {
        <div class="grid">
          <div>
            <table class="rows">
              <thead>
                <tr>
                  <th i18n scope="col">Revision</th>
                  <th i18n scope="col">Published</th>
                  <th i18n scope="col">By</th>
                  <th i18n scope="col">Note</th>
                </tr>
              </thead>
              <tbody>
                <tr [class.on]="to() === 'draft'">
                  <td class="name">
                    <a i18n [routerLink]="[]" [queryParams]="{ to: 'draft', from: list[0]?.number ?? null }">draft</a>
                  </td>
                  <td i18n colspan="3" class="soft">
                    against {{ list[0] ? phrases.revision + list[0].number : phrases.nothingNotPublishedYet }}
                  </td>
                </tr>
                @for (r of list; track r.number) {
                  <tr [class.on]="to() === '' + r.number">
                    <td class="name">
                      <a [routerLink]="[]" [queryParams]="{ to: r.number, from: r.number > 1 ? r.number - 1 : null }">{{
                        r.number
                      }}</a>
                    </td>
                    <td class="soft">
                      <span [title]="r.publishedAt | fullTime">{{ r.publishedAt | time }}</span>
                    </td>
                    <td class="soft">{{ r.publishedBy }}</td>
                    <td>{{ r.note }}</td>
                  </tr>
                }
              </tbody>
            </table>
          </div>
          <div>
            @if (from() && to()) {
              <div class="pair">
                <span i18n>From</span>
                <nz-select
                  [ngModel]="from()"
                  (ngModelChange)="pick({ from: $event })"
                  aria-label="From"
                  i18n-aria-label
                  nzId="from-revision"
                >
                  @for (s of states(); track s) {
                    <nz-option [nzValue]="s" [nzLabel]="words(s)" />
                  }
                </nz-select>
                <span i18n>to</span>
                <nz-select
                  [ngModel]="to()"
                  (ngModelChange)="pick({ to: $event })"
                  aria-label="To"
                  i18n-aria-label
                  nzId="to-revision"
                >
                  @for (s of states(); track s) {
                    <nz-option [nzValue]="s" [nzLabel]="words(s)" />
                  }
                </nz-select>
                @if (to() !== 'draft' && !restoring()) {
                  <span class="grow"></span>
                  <button i18n type="button" class="btn" (click)="restoring.set(true)">Go back to it …</button>
                }
              </div>
              @if (restoring()) {
                <vs-ask
                  i18n
                  about="Go back to an older revision"
                  i18n-about
                  [does]="phrases.replaceTheDraftBy + to()"
                  (done)="restore()"
                  (letBe)="restoring.set(false)"
                >
                  The draft will say what revision {{ to() }} says. What it says now and was not published is gone then.
                </vs-ask>
              }
              <vs-loading [of]="difference()" (again)="compare()" />
              @if (difference().value; as d) {
                <vs-difference [of]="d" />
              }
            } @else {
              <p i18n class="soft hint">Choose a revision to see what changed in it.</p>
            }
          </div>
        </div>
      }
    </div>
  `,
  styles: `
    .grid {
      display: grid;
      grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
      gap: 34px;
    }
    .pair {
      display: flex;
      align-items: center;
      gap: 8px;
      margin-bottom: 10px;
    }
    nz-select {
      width: 128px;
    }
    .grow {
      flex: 1;
    }
    .hint {
      padding-top: 8px;
    }
  `,
})
export class RevisionsPage {
  protected readonly phrases = PHRASES;
  readonly id = input.required<string>();
  readonly from = input<string | undefined>();
  readonly to = input<string | undefined>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly revisions = this.store.selectSignal(mappingsFeature.selectRevisions);
  protected readonly difference = this.store.selectSignal(mappingsFeature.selectDifference);
  /** The pair was chosen by the page itself. */
  private unasked = false;
  private readonly newest = computed(() => this.revisions().value?.[0]?.number);

  constructor() {
    pageTitle(() => $localize`Revisions of ${this.id()}`);
    effect(() => this.store.dispatch(mappingsActions.revisionsOpened({ id: this.id() })));
    effect(() => {
      const newest = this.newest();
      if (newest === undefined || this.to()) return;
      this.unasked = true;
      void this.router.navigate([], { queryParams: { to: 'draft', from: newest }, replaceUrl: true });
    });
    // A draft that says what is published has nothing to show; what the newest revision changed has.
    effect(() => {
      const d = this.difference().value;
      const newest = this.newest();
      if (!this.unasked || !d || d.to !== 'draft' || newest === undefined) return;
      this.unasked = false;
      if (d.lines.length > 0 || d.other.length > 0 || newest < 2) return;
      void this.router.navigate([], { queryParams: { to: newest, from: newest - 1 }, replaceUrl: true });
    });
    effect(() => {
      if (this.from() && this.to() && this.revisions().value) this.compare();
    });
  }
  protected readonly states = computed(() => ['draft', ...(this.revisions().value ?? []).map((r) => String(r.number))]);
  protected readonly restoring = signal(false);
  protected pick(queryParams: { from?: string; to?: string }): void {
    this.restoring.set(false);
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge' });
  }
  protected restore(): void {
    this.store.dispatch(mappingsActions.restore({ id: this.id(), number: Number(this.to()) }));
  }
  protected open(): void {
    this.store.dispatch(mappingsActions.revisionsOpened({ id: this.id() }));
  }
  protected compare(): void {
    this.store.dispatch(mappingsActions.compare({ id: this.id(), from: this.from()!, to: this.to()! }));
  }
  protected words(state: string): string {
    return state === 'draft' ? $localize`the draft` : $localize`revision ${state}`;
  }
}
