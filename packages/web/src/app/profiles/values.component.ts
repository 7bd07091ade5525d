import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { fieldText, textLiteral } from '@versicle/core';
import type { FieldProfileDto, Knowledge } from '@versicle/contract';
import { FIELD_ROWS, fieldWindow } from '../shared/fields/field-window';
import { FieldWindowComponent } from '../shared/fields/field-window.component';
import { LoadingComponent } from '../shared/loading.component';
import { decimal, durationWords, figure, FigurePipe, firstOf, FullTimePipe, TimePipe } from '../shared/words';
import { profilesActions, profilesFeature } from './profiles.feature';

/** What the template says in one case or another. */
const PHRASES = {
  belowIsWhatWas: $localize`Below is what was known before.`,
  thePageFollowsBy: $localize`The page follows by itself.`,
  profileAgain: $localize`Profile again`,
  profileAllRecords: $localize`Profile all records`,
  theValuesOfIts: $localize`the values of its first 20,000 records`,
  itsValues: $localize`its values`,
  about: $localize`about `,
  butFor: $localize` but for `,
  suchAs: $localize`such as `,
  ofThoseThatCame: $localize`, of those that came first`,
};

/** What the values of each field are: filled, different, from – to, what they are recognised to be, what looks damaged. */
@Component({
  selector: 'vs-values',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldWindowComponent, LoadingComponent, RouterLink, FigurePipe, FullTimePipe, TimePipe],
  template: `
    <vs-loading [of]="knowledge()" (again)="open()" />
    @if (knowledge().value; as k) {
      <p class="head" role="status">
        @switch (k.state) {
          @case ('running') {
            <b i18n>Being profiled …</b> {{ k.result ? phrases.belowIsWhatWas : phrases.thePageFollowsBy }}
          }
          @case ('none') {
            <ng-container i18n> Nothing is known about these records yet. </ng-container>
          }
          @case ('failed') {
            <span i18n class="rub">It could not be profiled: {{ k.problem }}</span>
          }
        }
        @if (k.result; as r) {
          <span i18n [title]="k.at | fullTime"
            >{{ looked(k) }}, {{ k.at | time }}, in {{ duration(r.millis) }}. {{ keys() }}</span
          >
        }
        <button type="button" class="btn" (click)="ask(null)" [disabled]="k.state === 'running'">
          {{ k.result ? phrases.profileAgain : phrases.profileAllRecords }}
        </button>
        @if (!k.result) {
          <button i18n type="button" class="btn quiet" (click)="ask(10000)" [disabled]="k.state === 'running'">
            The first 10,000 only
          </button>
        }
      </p>
      @if (k.result; as r) {
        @for (ref of r.references.slice(0, mostReferences); track ref.field + ref.in) {
          <p i18n class="ref">
            <b>{{ ref.field }}</b> refers to <code>{{ ref.in }}</code>: {{ percent(ref.share) }} of
            {{ r.profile.records > 20000 ? phrases.theValuesOfIts : phrases.itsValues }} occur among the first 200,000
            records there.
          </p>
        }
        @if (r.references.length > mostReferences) {
          <p i18n class="ref soft">{{ r.references.length - mostReferences | figure }} more fields refer to others.</p>
        }
        <vs-field-window [of]="window" />
        <div class="scroll" tabindex="0" role="region" aria-label="Values by field" i18n-aria-label>
          <table class="rows">
            <thead>
              <tr>
                <th i18n scope="col">Field</th>
                <th i18n scope="col" class="n">Filled</th>
                <th scope="col"><span i18n class="sr">Share that is filled</span></th>
                <th i18n scope="col" class="n">Different</th>
                <th i18n scope="col">From</th>
                <th i18n scope="col">To</th>
                <th i18n scope="col" class="n">Length</th>
                <th i18n scope="col">Recognised as</th>
                <th i18n scope="col">Looks damaged</th>
              </tr>
            </thead>
            <tbody>
              @for (f of shown(); track f.name) {
                <tr [class.open]="chosen() === f.name">
                  <td>
                    <button
                      type="button"
                      class="link"
                      [attr.aria-expanded]="chosen() === f.name"
                      (click)="chosen.set(chosen() === f.name ? '' : f.name)"
                    >
                      {{ f.name }}
                    </button>
                    @if (isKey(f.name)) {
                      <span i18n class="key">key</span>
                    }
                  </td>
                  <td class="n">{{ f.filled | figure }}</td>
                  <td class="bar">
                    <i [style.width.%]="r.profile.records ? (100 * f.filled) / r.profile.records : 0"></i>
                  </td>
                  <td class="n">{{ f.distinctExact ? '' : phrases.about }}{{ f.distinct | figure }}</td>
                  <td>
                    <code>{{ f.min }}</code>
                  </td>
                  <td>
                    <code>{{ f.max }}</code>
                  </td>
                  <td class="n">{{ lengths(f) }}</td>
                  <td>
                    @if (f.meaning; as m) {
                      {{ m.words
                      }}<small class="soft">{{ m.share < 1 ? phrases.butFor + percent(1 - m.share) : '' }}</small>
                    }
                  </td>
                  <td class="rub">
                    @for (d of f.damages; track d.what) {
                      <span [title]="phrases.suchAs + d.example">{{ d.what }} ({{ d.count | figure }})</span
                      >{{ $last ? '' : ', ' }}
                    }
                  </td>
                </tr>
                @if (chosen() === f.name) {
                  <tr class="inside">
                    <td colspan="9">
                      <div class="two">
                        <div>
                          <h3 i18n>Most frequent{{ f.topExact ? '' : phrases.ofThoseThatCame }}</h3>
                          @for (t of f.top; track t.value) {
                            <p class="line">
                              <a
                                routerLink="."
                                [queryParams]="{ name: dataset(), filter: only(f.name, t.value) }"
                                title="Show the rows with this value"
                                i18n-title
                                ><code>{{ t.value }}</code></a
                              ><i [style.width.px]="width(t.count, f.top[0]!.count)"></i>{{ t.count | figure }}
                            </p>
                          }
                        </div>
                        <div>
                          <h3 i18n>Patterns <small class="soft">A a letters, 9 digits</small></h3>
                          @for (p of f.patterns; track p.value) {
                            <p class="line">
                              <code>{{ p.value }}</code><i [style.width.px]="width(p.count, f.patterns[0]!.count)"></i
                              >{{ p.count | figure }}
                            </p>
                          }
                        </div>
                      </div>
                    </td>
                  </tr>
                }
              }
            </tbody>
          </table>
        </div>
      }
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-direction: column;
      min-height: 0;
      flex: 1;
    }
    .head {
      font: 14.4px/1.5 var(--serif);
      margin: 12px 0 6px;
      display: flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 6px 12px;
    }
    .ref {
      margin: 0 0 4px;
    }
    .scroll {
      overflow: auto;
      flex: 1;
      margin-right: -30px;
    }
    td code {
      white-space: nowrap;
      max-width: 150px;
      overflow: hidden;
      text-overflow: ellipsis;
      display: inline-block;
      vertical-align: bottom;
    }
    td,
    th {
      padding-right: 14px;
    }
    .bar {
      width: 70px;
    }
    .bar i {
      display: block;
      height: 7px;
      background: var(--ink-2);
      min-width: 1px;
    }
    .link {
      border: 0;
      background: none;
      padding: 0;
      font: 600 13.5px var(--sans);
      color: var(--act);
      cursor: pointer;
    }
    .key {
      font: 600 11px var(--sans);
      color: var(--ink-2);
      border: 1px solid var(--line);
      border-radius: 8px;
      padding: 0 6px;
      margin-left: 6px;
    }
    .open td {
      border-bottom-color: transparent;
    }
    .inside td {
      background: var(--margin);
      padding: 8px 14px 12px;
    }
    .two {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 30px;
      max-width: 900px;
    }
    h3 {
      font: 600 13.5px var(--serif);
      margin: 0 0 4px;
    }
    .line {
      display: flex;
      align-items: center;
      gap: 8px;
      margin: 0;
      line-height: 22px;
    }
    .line code {
      width: 190px;
    }
    .line i {
      height: 7px;
      background: var(--ink-2);
      min-width: 1px;
    }
    .sr {
      position: absolute;
      clip-path: inset(50%);
    }
  `,
})
export class ValuesComponent {
  protected readonly phrases = PHRASES;
  readonly id = input.required<string>();
  readonly dataset = input.required<string>();
  private readonly store = inject(Store);
  /** The rows with a value of a field, as the filter of the rows is written. */
  protected only(field: string, value: string): string {
    return `${fieldText(null, field)} = ${textLiteral(value)}`;
  }
  protected readonly knowledge = this.store.selectSignal(profilesFeature.selectKnowledge);
  protected readonly chosen = signal('');
  protected readonly duration = durationWords;
  private readonly profile = computed(() => this.knowledge().value?.result?.profile ?? null);
  private readonly fields = computed(() => this.profile()?.fields ?? []);
  protected readonly mostReferences = 12;
  protected readonly window = fieldWindow(
    computed(() => this.fields().map((f) => f.name)),
    FIELD_ROWS,
  );
  protected readonly shown = computed(() => this.window.places().map((at) => this.fields()[at]!));
  private readonly singleKeys = computed(
    () => new Set(this.profile()?.keys.flatMap((k) => (k.length === 1 ? k : [])) ?? []),
  );
  protected readonly keys = computed(() => {
    const p = this.profile();
    if (!p) return '';
    const read = p.records - p.unreadable;
    const near = p.fields.filter((f) => f.filled === read && f.distinct >= read * 0.98 && f.distinct < read);
    if (p.keys.length === 0)
      return near.length > 0
        ? $localize`No field tells all records apart; ${firstOf(
            near.map((f) => $localize`${f.name} nearly does (${figure(f.distinct)} different)`),
            6,
          )}.`
        : $localize`No field, pair or triple tells all records apart.`;
    const combined = p.keys[0]!.length > 1;
    const among = combined && p.keysTriedOn < p.records ? $localize` (among the first ${figure(p.keysTriedOn)})` : '';
    return $localize`What tells all records apart${among}\: ${firstOf(
      p.keys.map((k) => k.join($localize` with `)),
      6,
      '; ',
    )}.`;
  });

  protected looked(k: Knowledge): string {
    const n = figure(k.result!.profile.records);
    return k.rowLimit === null
      ? $localize`All ${n} records were looked at`
      : $localize`The first ${n} records were looked at`;
  }
  protected isKey(name: string): boolean {
    return this.singleKeys().has(name);
  }
  protected lengths(f: FieldProfileDto): string {
    if (f.shortest === null) return '';
    return f.shortest === f.longest ? String(f.shortest) : `${f.shortest}–${f.longest}`;
  }
  protected percent(share: number): string {
    const percent = share * 100;
    if (percent > 0 && percent < 0.1) return $localize`under ${decimal(0.1)} %`;
    return `${decimal(percent, percent > 99.9 && percent < 100 ? 2 : percent < 10 ? 1 : 0)} %`;
  }
  protected width(count: number, most: number): number {
    return (160 * count) / most;
  }
  protected open(): void {
    this.store.dispatch(profilesActions.opened({ id: this.id(), dataset: this.dataset() }));
  }
  protected ask(rowLimit: number | null): void {
    this.store.dispatch(profilesActions.ask({ id: this.id(), dataset: this.dataset(), rowLimit }));
  }
}
