import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { FailedRecordDetail } from '@versicle/contract';
import { SaidComponent } from '../shared/said.component';
import { SignComponent } from '../shared/signs.component';
import { StateComponent } from '../shared/states.component';
import { FigurePipe, FullTimePipe, TimePipe } from '../shared/words';

const EVENTS: Record<string, string> = {
  failed: $localize`failed`,
  delivered: $localize`delivered`,
  closed: $localize`closed`,
};

/** What the template says in one case or another. */
const PHRASES = {
  row: $localize`Row `,
  theSource: $localize`the source`,
  line: $localize`Line `,
  null: $localize`null`,
};

/** One failed record as two voices: as it was read, as far as it was mapped, and what stands between them. */
@Component({
  selector: 'vs-record',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, SaidComponent, SignComponent, StateComponent, FigurePipe, FullTimePipe, TimePipe],
  template: `
    @if (record(); as r) {
      <header>
        <h2>{{ r.label || phrases.row + (r.fileRow | figure) }} <vs-state [state]="r.state" /></h2>
        <p i18n class="sub">
          row {{ r.fileRow | figure }} of {{ r.file ?? phrases.theSource }}{{ place() ? ' · ' + place() : '' }}
        </p>
        <div class="acts"><ng-content /></div>
      </header>
      @for (f of shownFailures(); track $index) {
        <div class="fault" [class.past]="r.state !== 'open'">
          @if ($index > 0) {
            <b [textContent]="f.target"></b><span [textContent]="': '"></span>
          } @else if (r.line !== null) {
            <span [textContent]="r.lineNumber === null ? '' : phrases.line + r.lineNumber + ' '"></span
            ><b [textContent]="r.lineLabel"></b>
            @if (r.rule) {
              <span [textContent]="', '"></span><code [textContent]="r.rule"></code>
            }
            <span [textContent]="': '"></span>
          }
          <vs-said [text]="f.message" />
        </div>
      }
      @if (r.answer) {
        <div i18n class="fault">The target answered: <vs-said [text]="r.answer" /></div>
      }
      <div class="voices">
        <div>
          <h3 i18n><vs-sign of="source" [size]="13" /> As read</h3>
          <table aria-label="As read" i18n-aria-label>
            <tbody>
              @for (v of r.source; track v.name) {
                <tr [class.hit]="hitSource().has(v.name)">
                  <th scope="row">{{ v.name }}</th>
                  <td [title]="v.value ?? phrases.null">
                    @if (v.value === null) {
                      <span i18n class="null">null</span>
                    } @else {
                      {{ v.value }}
                    }
                  </td>
                </tr>
              }
            </tbody>
          </table>
        </div>
        <div>
          <h3 i18n><vs-sign of="target" [size]="13" /> As mapped</h3>
          <table aria-label="As mapped" i18n-aria-label>
            <tbody>
              @for (v of r.mapped; track v.name) {
                <tr [class.hit]="hitTarget().has(v.name)">
                  <th scope="row">{{ v.label }}</th>
                  <td [title]="v.value ?? phrases.null">
                    @if (hitTarget().has(v.name) && v.value === null) {
                      <ng-container i18n> could not be made </ng-container>
                    } @else if (v.value === null) {
                      <span i18n class="null">null</span>
                    } @else {
                      {{ v.value }}
                    }
                  </td>
                </tr>
              } @empty {
                <tr>
                  <td i18n class="dim">It did not get that far.</td>
                </tr>
              }
            </tbody>
          </table>
        </div>
      </div>
      <div class="then">
        <h3 i18n>What has happened to it</h3>
        @for (e of r.history; track $index) {
          <div class="row">
            <span [title]="e.at | fullTime">{{ e.at | time }}</span>
            <span i18n
              >{{ words(e.what) }} in run {{ e.run }}, revision {{ e.revision
              }}{{ e.what === 'failed' ? '' : e.message ? ': ' + e.message : '' }}</span
            >
            <a i18n [routerLink]="['/runs', e.run]">Run {{ e.run }}</a>
          </div>
        }
      </div>
    }
  `,
  styles: `
    header h2 {
      font: 600 19px/1.2 var(--serif);
      margin: 0;
    }
    h2 vs-state {
      font: 13px var(--sans);
    }
    .sub {
      margin: 3px 0 10px;
    }
    .acts {
      display: flex;
      gap: 9px;
      align-items: center;
      padding-bottom: 12px;
      border-bottom: 1px solid var(--line);
      flex-wrap: wrap;
    }
    .fault {
      border-left: 3px solid var(--rubric);
      background: var(--rubric-wash);
      padding: 8px 12px;
      margin-top: 12px;
      font: 14.4px/1.45 var(--serif);
    }
    .fault span {
      white-space: pre-wrap;
    }
    .fault.past {
      border-color: var(--line);
      background: var(--margin);
    }
    .fault code {
      font-size: 12.8px;
    }
    .voices {
      display: grid;
      grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
      gap: 0 22px;
      margin-top: 10px;
    }
    table {
      border-collapse: collapse;
      width: 100%;
      table-layout: fixed;
    }
    th,
    td {
      height: 24px;
      border-bottom: 1px solid var(--hair);
      padding: 0 6px 0 0;
      white-space: nowrap;
      overflow: hidden;
      text-overflow: ellipsis;
      text-align: left;
      font: 12.4px var(--mono);
    }
    th {
      font: 13px var(--sans);
      color: var(--ink-2);
      width: 126px;
    }
    tr.hit th,
    tr.hit td {
      background: var(--rubric-wash);
      color: var(--rubric);
      font-weight: 600;
    }
    .null {
      color: var(--ink-3);
      font: italic 12.4px var(--serif);
    }
    .then {
      margin: 12px 0 14px;
    }
    .row {
      display: grid;
      grid-template-columns: 142px 1fr auto;
      gap: 10px;
      border-bottom: 1px solid var(--hair);
      padding: 3px 0;
      color: var(--ink-2);
    }
  `,
})
export class RecordComponent {
  protected readonly phrases = PHRASES;
  readonly record = input.required<FailedRecordDetail>();
  readonly place = input('');
  protected readonly shownFailures = computed(() => this.record().failures.slice(0, 6));
  /** Source fields that a fault involves, without their alias. */
  protected readonly hitSource = computed(
    () =>
      new Set(this.record().failures.flatMap((f) => Object.keys(f.values).map((name) => name.replace(/^[^.]+\./, '')))),
  );
  protected readonly hitTarget = computed(
    () => new Set(this.record().failures.flatMap((f) => f.target?.split(', ') ?? [])),
  );
  protected words(what: string): string {
    return EVENTS[what] ?? what;
  }
}
