import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { FindingDto } from '@versicle/contract';
import { FIELD_ROWS } from '../shared/fields/field-window';
import { LoadingComponent } from '../shared/loading.component';
import { decimal, figure, FigurePipe, FullTimePipe, TimePipe } from '../shared/words';
import { FieldComponent } from '../shared/form/field.component';
import { profilesActions, profilesFeature } from './profiles.feature';

const DIMENSIONS = ['completeness', 'uniqueness', 'validity', 'consistency'] as const;
const DIMENSION_WORDS: Readonly<Record<(typeof DIMENSIONS)[number], string>> = {
  completeness: $localize`completeness`,
  uniqueness: $localize`uniqueness`,
  validity: $localize`validity`,
  consistency: $localize`consistency`,
};

/** What the template says in one case or another. */
const PHRASES = {
  of: $localize` of `,
  null: $localize`null`,
  theRecordsAreBeing: $localize`The records are being looked at …`,
  nothingIsKnownAbout: $localize`Nothing is known about these records yet.`,
  takeAway: $localize`Take away `,
  lookedOver: $localize`Looked over`,
  itHasChangedSince: $localize`It has changed since it was looked over`,
};

/** How many records have nothing against them, what speaks against the others, and what people say. */
@Component({
  selector: 'vs-quality',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, FormsModule, RouterLink, LoadingComponent, FigurePipe, FullTimePipe, TimePipe],
  template: `
    <vs-loading [of]="knowledge()" (again)="open()" />
    @if (knowledge().value; as k) {
      @if (k.result; as r) {
        <p i18n class="clean">
          <b>{{ r.quality.clean | figure }} of {{ r.quality.records | figure }}</b> records have nothing against them{{
            notLooked(r.quality.dimensions)
          }}.
          @if (k.state === 'running') {
            <span class="soft">They are being looked at anew …</span>
          }
        </p>
        <table class="rows dims">
          <thead>
            <tr>
              @for (d of dimensions; track d) {
                <th scope="col">{{ dimensionWords[d] }}</th>
              }
              <th i18n scope="col">over time</th>
            </tr>
          </thead>
          <tbody>
            <tr>
              @for (d of dimensions; track d) {
                <td>{{ share(r.quality.dimensions[d], r.quality.records) }}</td>
              }
              <td>
                <span class="history">
                  @for (h of k.history; track h.at) {
                    <i
                      [style.height.px]="h.records ? 4 + (20 * h.clean) / h.records : 4"
                      [title]="(h.at | fullTime) + ': ' + (h.clean | figure) + phrases.of + (h.records | figure)"
                    ></i>
                  }
                </span>
              </td>
            </tr>
          </tbody>
        </table>
        @if (r.quality.findings.length === 0) {
          <p i18n class="soft">Nothing speaks against any record, as far as structure, values and checks tell.</p>
        } @else {
          <table class="rows">
            <thead>
              <tr>
                <th i18n scope="col" class="n">Records</th>
                <th i18n scope="col">What speaks against them</th>
                <th i18n scope="col">Kind</th>
                <th i18n scope="col">The records</th>
              </tr>
            </thead>
            <tbody>
              @for (f of r.quality.findings.slice(0, mostFindings); track $index) {
                <tr>
                  <td class="n">{{ f.count | figure }}</td>
                  <td>
                    @if (f.field) {
                      <b>{{ f.field }}</b>
                    }
                    {{ f.what }}
                  </td>
                  <td class="soft">{{ dimensionWords[f.dimension] }}</td>
                  <td>
                    @if (f.filter) {
                      <a
                        i18n
                        [routerLink]="[]"
                        [queryParams]="{ tab: null, filter: f.filter }"
                        queryParamsHandling="merge"
                        >look at them</a
                      >
                    } @else if (f.rows.length > 0) {
                      <button
                        type="button"
                        class="link"
                        [attr.aria-expanded]="chosen() === f"
                        (click)="chosen.set(chosen() === f ? null : f)"
                      >
                        {{ rowWords(f) }}
                      </button>
                    }
                  </td>
                </tr>
                @if (chosen() === f) {
                  <tr class="inside">
                    <td colspan="4">
                      @for (row of f.rows; track $index) {
                        <span i18n class="one"
                          >row {{ row.row | figure }}{{ row.file ? phrases.of + row.file : '' }}:
                          <code>{{ row.value ?? phrases.null }}</code></span
                        >
                      }
                    </td>
                  </tr>
                }
              }
            </tbody>
          </table>
          @if (r.quality.findings.length > mostFindings) {
            <p i18n class="soft">and {{ r.quality.findings.length - mostFindings | figure }} findings more.</p>
          }
        }
      } @else {
        <p class="clean">
          {{ k.state === 'running' ? phrases.theRecordsAreBeing : phrases.nothingIsKnownAbout }}
          <button i18n type="button" class="btn" (click)="ask()" [disabled]="k.state === 'running'">
            Look at all of them
          </button>
        </p>
      }
      <div class="two">
        <form (ngSubmit)="add()" aria-label="Checks" i18n-aria-label>
          <h2 i18n>Checks</h2>
          @for (c of k.checks; track c.id) {
            <p i18n class="check">
              <code>{{ c.rule }}</code> or else: {{ c.message }}
              <button
                type="button"
                class="btn quiet"
                (click)="take(c.id)"
                [attr.aria-label]="phrases.takeAway + c.message"
              >
                take away
              </button>
            </p>
          } @empty {
            <p i18n class="soft">
              A check is a condition that each record must meet, such as <code>miles IS NOT NULL</code>.
            </p>
          }
          <vs-field label="Each record must meet" i18n-label
            ><input class="input mono" name="rule" [(ngModel)]="rule" autocomplete="off"
          /></vs-field>
          <vs-field label="Otherwise it" i18n-label
            ><input
              class="input"
              name="message"
              [(ngModel)]="message"
              placeholder="such as  has no miles"
              i18n-placeholder
              autocomplete="off"
          /></vs-field>
          @if (problem()) {
            <p class="rub" role="alert">{{ problem() }}</p>
          }
          <button i18n type="submit" class="btn" [disabled]="!rule.trim() || !message.trim()">Add the check</button>
        </form>
        <form (ngSubmit)="lookOver()" aria-label="Looked over" i18n-aria-label>
          <h2 i18n>Looked over</h2>
          @if (k.lookedOver; as l) {
            <p i18n [class.rub]="!l.stillTrue">
              {{ l.stillTrue ? phrases.lookedOver : phrases.itHasChangedSince }} by {{ l.person }},
              <span [title]="l.at | fullTime">{{ l.at | time }}</span>{{ l.note ? ': ' + l.note : '.' }}
            </p>
          } @else {
            <p i18n class="soft">Nobody has said yet that this dataset is fit for use.</p>
          }
          <vs-field label="Note" i18n-label
            ><input class="input" name="note" [(ngModel)]="note" autocomplete="off"
          /></vs-field>
          <button i18n type="submit" class="btn">I have looked it over</button>
        </form>
      </div>
    }
  `,
  styles: `
    :host {
      display: block;
      overflow: auto;
      flex: 1;
      padding-bottom: 24px;
    }
    .clean {
      font: 17px/1.4 var(--serif);
      margin: 14px 0 8px;
    }
    .dims {
      max-width: 860px;
      margin-bottom: 12px;
    }
    .history {
      display: flex;
      align-items: flex-end;
      gap: 3px;
      height: 26px;
    }
    .history i {
      width: 7px;
      background: var(--ink-2);
    }
    .link {
      border: 0;
      background: none;
      padding: 0;
      font: 600 13.5px var(--sans);
      color: var(--act);
      cursor: pointer;
    }
    .inside td {
      background: var(--margin);
    }
    .one {
      display: inline-block;
      margin: 0 18px 2px 0;
    }
    .two {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 40px;
      max-width: 980px;
      margin-top: 18px;
    }
    .check {
      margin: 0 0 6px;
    }
  `,
})
export class QualityComponent {
  protected readonly phrases = PHRASES;
  readonly id = input.required<string>();
  readonly dataset = input.required<string>();
  private readonly store = inject(Store);
  protected readonly knowledge = this.store.selectSignal(profilesFeature.selectKnowledge);
  protected readonly problem = this.store.selectSignal(profilesFeature.selectProblem);
  protected readonly dimensions = DIMENSIONS;
  protected readonly dimensionWords = DIMENSION_WORDS;
  protected readonly mostFindings = FIELD_ROWS;
  protected readonly chosen = signal<FindingDto | null>(null);
  protected rule = '';
  protected message = '';
  protected note = '';
  private readonly of = computed(() => ({ id: this.id(), dataset: this.dataset() }));

  /** What nobody looked for says nothing for the records either. */
  protected notLooked(dimensions: Readonly<Partial<Record<(typeof DIMENSIONS)[number], number | null>>>): string {
    const left = DIMENSIONS.filter((d) => (dimensions[d] ?? null) === null).map((d) => DIMENSION_WORDS[d]);
    if (left.length === 0) return '';
    const named = left.length === 1 ? left[0]! : $localize`${left.slice(0, -1).join(', ')} and ${left.at(-1)!}`;
    return $localize` of what was looked for; ${named} ${left.length === 1 ? $localize`was` : $localize`were`} not`;
  }
  protected share(good: number | null | undefined, records: number): string {
    if (good === null || good === undefined) return $localize`not looked for`;
    if (good === records) return $localize`all records`;
    // Rounded down: what is not all records must not read 100 %.
    return `${figure(good)} (${decimal(Math.floor((10_000 * good) / records) / 100, 2)} %)`;
  }
  protected rowWords(f: FindingDto): string {
    return f.rows.length < f.count
      ? $localize`the first ${f.rows.length}`
      : f.rows.length === 1
        ? $localize`the row`
        : $localize`the ${f.rows.length} rows`;
  }
  protected open(): void {
    this.store.dispatch(profilesActions.opened(this.of()));
  }
  protected ask(): void {
    this.store.dispatch(profilesActions.ask({ ...this.of(), rowLimit: null }));
  }
  protected add(): void {
    this.store.dispatch(
      profilesActions.addCheck({ ...this.of(), rule: this.rule.trim(), message: this.message.trim() }),
    );
  }
  protected take(check: number): void {
    this.store.dispatch(profilesActions.removeCheck({ ...this.of(), check }));
  }
  protected lookOver(): void {
    this.store.dispatch(profilesActions.lookOver({ ...this.of(), note: this.note.trim() }));
    this.note = '';
  }
}
