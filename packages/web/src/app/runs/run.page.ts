import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  inject,
  input,
  numberAttribute,
  signal,
} from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { pageTitle } from '../shared/page-title';
import { CauseComponent } from '../shared/cause.component';
import { LoadingComponent } from '../shared/loading.component';
import { SaidComponent } from '../shared/said.component';
import { SignComponent } from '../shared/signs.component';
import { StateComponent } from '../shared/states.component';
import { bytesWords, clockWords, durationWords, figure, FigurePipe, timeWords } from '../shared/words';
import { BandComponent } from './band.component';
import { RateChartComponent } from './rate-chart.component';
import { RunStepsComponent } from './run-steps.component';
import { runsActions, runsFeature } from './runs.feature';
import { UnmatchedComponent } from './unmatched.component';

/** What the template says in one case or another. */
const PHRASES = {
  replay: $localize`replay`,
  run: $localize`run`,
  failedRecordsSentAgain: $localize`failed records sent again`,
  onlyTheFirst: $localize`only the first `,
  only: $localize`only `,
  allRecords: $localize`all records`,
  recordWaits: $localize`record waits`,
  recordsWait: $localize`records wait`,
  recordThatWasDelivered: $localize`record that was delivered before is`,
  recordsThatWereDelivered: $localize`records that were delivered before are`,
  itBrokeOff: $localize`It broke off. `,
  loadedNotInPlace: $localize`loaded, not in place yet`,
  delivered: $localize`delivered`,
  itHasNotBegun: $localize`It has not begun yet.`,
  nothingIsSentBefore: $localize`Nothing is sent before the window opens.`,
  theFirstChunkIs: $localize`The first chunk is on its way.`,
  nothingWasRead: $localize`Nothing was read.`,
  allLines: $localize`All lines`,
  onlyWarningsAndErrors: $localize`Only warnings and errors (`,
  error: $localize`Error: `,
  warning: $localize`Warning: `,
  nothingIsToldYet: $localize`Nothing is told yet.`,
  noLineHasThese: $localize`No line has these words.`,
  whatFailedCouldNot: $localize`What failed could not be shared out; the run of the share has it.`,
  nothingSoFar: $localize`Nothing so far.`,
  nothingFailed: $localize`Nothing failed.`,
};

/** One run: what became of what was read, how fast, what happened, and what failed. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    RouterLink,
    CauseComponent,
    LoadingComponent,
    SaidComponent,
    SignComponent,
    StateComponent,
    FigurePipe,
    BandComponent,
    RateChartComponent,
    RunStepsComponent,
    UnmatchedComponent,
  ],
  template: `
    <div class="page">
      <vs-loading [of]="loading()" (again)="open()" />
      @if (run(); as r) {
        <div class="top">
          <h1>{{ r.planName }}</h1>
          <span class="mono dim">{{ r.kind === 'replay' ? phrases.replay : phrases.run }} {{ r.id }}</span>
          <vs-state [state]="r.state" />
          <span class="grow"></span>
          @if (r.state === 'paused') {
            <button i18n type="button" class="btn first" (click)="resume()">Let it go on</button>
          }
          @if (going() && r.kind !== 'sql' && r.kind !== 'request') {
            <button i18n type="button" class="btn" (click)="pause()">Pause</button>
          }
          @if (going() || r.state === 'paused') {
            <button i18n type="button" class="btn" (click)="cancel()">Cancel the run</button>
          } @else if (r.finishedAt !== null) {
            @if (r.kind !== 'replay' && r.parent === null) {
              <a i18n class="btn quiet" [routerLink]="['/runs', r.id, 'compare']">Compare …</a>
            }
            <a i18n class="btn" routerLink="/plans" [queryParams]="{ start: r.plan }">Run the plan again …</a>
          }
        </div>
        <p i18n class="sub">
          Started by {{ r.startedBy }} {{ when() }} ·
          @if (r.parent !== null) {
            the step <code>{{ r.step }}</code> of <a [routerLink]="['/runs', r.parent]">run {{ r.parent }}</a> ·
          }
          @if (r.mapping !== null) {
            revision {{ r.revision }} of <a [routerLink]="['/mappings', r.mapping]">{{ r.mappingName }}</a> ·
            {{
              r.kind === 'replay'
                ? phrases.failedRecordsSentAgain
                : r.rowLimit !== null
                  ? phrases.onlyTheFirst + (r.rowLimit | figure)
                  : r.only
                    ? phrases.only + r.only
                    : phrases.allRecords
            }}
            ·
          } @else if (r.planVersion !== null) {
            version {{ r.planVersion }} of <a [routerLink]="['/plans', r.plan]">the plan</a> ·
          }
          {{ course() }}{{ requests() }}
        </p>
        <p class="voices" [hidden]="r.source === null">
          <span
            ><vs-sign of="source" [size]="14" /> <code>{{ r.source }}</code></span
          >
          <span
            ><vs-sign of="target" [size]="14" /> <code>{{ r.target }}</code></span
          >
        </p>
        @if (problem()) {
          <p class="rub" role="alert">{{ problem() }}</p>
        }
        @if (r.waitsFor; as first) {
          <p i18n class="soft" role="status">
            It begins when <a [routerLink]="['/runs', first.id]">run {{ first.id }}</a> of {{ first.planName }} is over:
            {{ first.because }}.
          </p>
        }
        @if (r.stranded !== null) {
          <p class="rub" role="status">{{ r.stranded }}</p>
        }
        @if (going() && r.counts.waiting > 0) {
          <p i18n class="soft" role="status">
            {{ r.counts.waiting | figure }} {{ r.counts.waiting === 1 ? phrases.recordWaits : phrases.recordsWait }} to
            be sent;
            @if (r.opens; as opens) {
              the window of the target opens in {{ untilWords(opens) }}, at {{ clockOf(opens) }}.
            } @else {
              the target gets them by request, at its own pace.
            }
            <a [routerLink]="['/systems', targetSystem(), 'waiting']" [queryParams]="{ run: r.id }">See them</a>
          </p>
        }
        @if (r.opens !== null && r.counts.waiting === 0) {
          <p i18n class="soft" role="status">
            The window of the target is closed. It goes on when that opens, in {{ untilWords(r.opens) }}, at
            {{ clockOf(r.opens) }}.
          </p>
        }
        @if (r.gone !== null && r.gone.done > 0) {
          <p i18n class="soft">
            {{ r.gone.done | figure }}
            {{ r.gone.done === 1 ? phrases.recordThatWasDelivered : phrases.recordsThatWereDelivered }}
            gone from the source, and {{ r.gone.how }} in the target; the log names them.
          </p>
        }
        @if (r.state === 'asks') {
          <div class="broken" role="alert">
            <p><vs-said [text]="r.error ?? ''" /></p>
            <p class="do">
              <button type="button" class="btn" (click)="replaceAll()">{{ yes() }}</button>
              <button i18n type="button" class="btn" (click)="cancel()">Leave it as it is</button>
            </p>
          </div>
        } @else if (r.error) {
          <div class="broken" role="alert">
            <p>{{ r.state === 'broken' ? phrases.itBrokeOff : '' }}<vs-said [text]="r.error" /></p>
            @if (r.state === 'broken') {
              <p class="do">
                <button i18n type="button" class="btn" (click)="takeUp()">Take it up again</button>
                <button i18n type="button" class="btn" (click)="cancel()">Give it up</button>
                @if (r.mapping !== null) {
                  <span i18n
                    >It goes on after the {{ r.counts.read - r.counts.waiting | figure }} records that are
                    settled.</span
                  >
                } @else {
                  <span i18n>Steps that ended well are not carried out again.</span>
                }
              </p>
            }
          </div>
        }
        @if (r.steps.length > 0) {
          <vs-run-steps [steps]="r.steps" [over]="!going()" />
        }
        @if (r.state !== 'queued' && movesRecords()) {
          <vs-band
            [counts]="r.counts"
            [words]="r.state === 'asks' && !r.gone?.asked ? phrases.loadedNotInPlace : phrases.delivered"
          />
        }
        @if (r.kind === 'share') {
          <vs-unmatched
            [run]="r.id"
            [plan]="r.plan"
            [over]="!going() && r.state !== 'paused'"
            [count]="r.counts.unmatched + r.counts.failed"
          />
        }
        <div class="grid">
          <div>
            @if (r.mapping !== null) {
              <h2 i18n>Rate <small>records settled a second</small></h2>
            }
            @if (r.samples.length > 0) {
              <vs-rate-chart [samples]="r.samples" />
            } @else if (r.mapping !== null) {
              <p class="soft">
                {{
                  r.state === 'queued'
                    ? phrases.itHasNotBegun
                    : r.opens !== null
                      ? phrases.nothingIsSentBefore
                      : going()
                        ? phrases.theFirstChunkIs
                        : phrases.nothingWasRead
                }}
              </p>
            }
            <h2 i18n class="of-log">
              Log
              @if (r.logLines > r.log.length) {
                <small>the newest {{ r.log.length | figure }} of {{ r.logLines | figure }} lines</small>
              }
              <span class="grow"></span>
              @if (r.log.length > FEW || search() !== '') {
                <input
                  class="input"
                  type="search"
                  aria-label="Find in the log"
                  i18n-aria-label
                  placeholder="Find in the log"
                  i18n-placeholder
                  [value]="search()"
                  (input)="search.set($any($event.target).value)"
                />
              }
              @if (loud() > 0 && loud() < r.log.length) {
                <button
                  type="button"
                  class="btn quiet"
                  [attr.aria-pressed]="loudOnly()"
                  (click)="loudOnly.set(!loudOnly())"
                >
                  {{ loudOnly() ? phrases.allLines : phrases.onlyWarningsAndErrors + loud() + ')' }}
                </button>
              }
              <a class="btn quiet" [href]="'/api/runs/' + r.id + '/log.txt'" download>Download</a>
            </h2>
            <div class="log" tabindex="0" role="log" aria-label="Log of the run" i18n-aria-label>
              @for (line of log(); track $index) {
                <div [class]="line.level">
                  <span>{{ clock(line.at) }}</span>
                  @if (line.level !== 'info') {
                    <b>{{ line.level === 'error' ? phrases.error : phrases.warning }}</b>
                  }
                  {{ line.message }}
                </div>
              } @empty {
                <p class="soft">{{ search() === '' ? phrases.nothingIsToldYet : phrases.noLineHasThese }}</p>
              }
            </div>
          </div>
          <div>
            <h2 i18n>Failed, by cause</h2>
            @for (c of r.causes; track c.mapping + c.line + c.cause) {
              <a
                class="c"
                routerLink="/failures"
                [queryParams]="{ mapping: c.mapping, line: c.line, cause: c.cause, run: r.id, state: 'any' }"
              >
                <b>{{ c.count | figure }}</b><span><vs-cause [group]="c" /></span>
              </a>
            } @empty {
              <p class="soft">
                {{
                  r.counts.failed > 0
                    ? phrases.whatFailedCouldNot
                    : going()
                      ? phrases.nothingSoFar
                      : phrases.nothingFailed
                }}
              </p>
            }
            @if (r.causes.length > 0) {
              <p class="all">
                <a i18n routerLink="/failures" [queryParams]="{ run: r.id, state: 'any' }"
                  >Open all {{ r.counts.failed | figure }}</a
                >
              </p>
            }
          </div>
        </div>
      }
    </div>
  `,
  styles: `
    .voices {
      display: flex;
      gap: 30px;
      color: var(--ink-2);
      margin: -6px 0 12px;
    }
    .sub {
      margin-bottom: 10px;
    }
    .broken {
      border-left: 3px solid var(--rubric);
      background: var(--rubric-wash);
      padding: 8px 12px;
      margin: 0 0 12px;
      font: 14.4px/1.45 var(--serif);
    }
    .broken p {
      margin: 0;
    }
    .broken .do {
      display: flex;
      align-items: center;
      gap: 10px;
      margin-top: 8px;
      color: var(--ink-2);
    }
    .grid {
      display: grid;
      grid-template-columns: minmax(0, 1fr) 350px;
      gap: 34px;
    }
    .of-log {
      display: flex;
      align-items: baseline;
      gap: 10px;
    }
    .of-log .input {
      width: 170px;
    }
    .of-log .grow {
      flex: 1;
    }
    .log {
      font: 12.3px/21px var(--mono);
      border-top: 1px solid var(--line);
      max-height: 210px;
      overflow: auto;
      color: var(--ink-2);
    }
    /* What does not fit into a line goes on below its words, not below its time. */
    .log div {
      padding-left: 10ch;
      text-indent: -10ch;
    }
    .log .warning,
    .log .error {
      color: var(--ink);
    }
    .log b {
      color: var(--rubric);
      font-weight: 600;
    }
    .log span {
      color: var(--ink-3);
      margin-right: 12px;
    }
    .c {
      display: grid;
      grid-template-columns: 44px 1fr;
      gap: 2px 8px;
      padding: 7px 0;
      border-top: 1px solid var(--hair);
      font: 14.2px/1.38 var(--serif);
      color: var(--ink);
      text-decoration: none;
    }
    .c:hover {
      background: var(--act-wash);
    }
    .c b {
      font: 600 15px var(--mono);
      color: var(--rubric);
      text-align: right;
    }
    .all {
      padding: 7px 0 0 52px;
    }
  `,
})
export class RunPage {
  protected readonly phrases = PHRASES;
  readonly id = input.required({ transform: numberAttribute });
  private readonly store = inject(Store);
  protected readonly loading = this.store.selectSignal(runsFeature.selectRun);
  protected readonly problem = this.store.selectSignal(runsFeature.selectProblem);
  protected readonly run = computed(() => this.loading().value);
  protected readonly targetSystem = computed(() => this.run()?.target?.split('/')[0] ?? '');
  protected readonly going = computed(() => ['queued', 'running'].includes(this.run()?.state ?? ''));
  /** A statement or a request reads no records, and a plan of nothing but such steps neither. */
  protected readonly movesRecords = computed(() => {
    const r = this.run();
    return r !== null && (r.mapping !== null || r.counts.read > 0);
  });
  protected readonly when = computed(() =>
    timeWords(this.run()?.startedAt ?? this.run()?.createdAt ?? new Date().toISOString()),
  );
  /** Lines of a log that are seen at once. */
  protected readonly FEW = 8;
  protected readonly search = signal('');
  protected readonly log = computed(() => {
    const words = this.search().toLowerCase().split(/\s+/);
    const lines = this.loudOnly() ? this.loudLines() : (this.run()?.log ?? []);
    return lines.filter(({ message }) => words.every((w) => message.toLowerCase().includes(w)));
  });
  private readonly loudLines = computed(() => (this.run()?.log ?? []).filter((l) => l.level !== 'info'));
  protected readonly loud = computed(() => this.loudLines().length);
  protected readonly loudOnly = signal(false);
  protected readonly clock = clockWords;
  protected readonly clockOf = timeWords;
  protected untilWords(time: string): string {
    const minutes = Math.max(1, Math.ceil((Date.parse(time) - Date.now()) / 60_000));
    return minutes < 60 ? $localize`${minutes} min` : $localize`${Math.floor(minutes / 60)} h ${minutes % 60} min`;
  }
  /** “ · 104 requests, 2.1 MB sent”. */
  protected readonly requests = computed(() => {
    const { requests = 0, bytesSent = 0 } = this.run() ?? {};
    if (requests === 0) return '';
    const bytes = bytesSent === 0 ? '' : $localize`, ${bytesWords(bytesSent)} sent`;
    return ` · ${figure(requests)} ${requests === 1 ? $localize`request` : $localize`requests`}${bytes}`;
  });
  protected readonly course = computed(() => {
    const r = this.run();
    if (!r?.startedAt) return r?.state === 'queued' ? $localize`waiting for its turn` : $localize`did not begin`;
    const end = r.finishedAt === null ? Date.now() : Date.parse(r.finishedAt);
    const took = Math.max(1, end - Date.parse(r.startedAt));
    const settled = r.counts.read - r.counts.waiting;
    if (!this.movesRecords())
      return r.finishedAt !== null ? $localize`took ${durationWords(took)}` : $localize`${durationWords(took)} so far`;
    const rate = $localize`${figure(Math.round((1000 * settled) / took))} records a second`;
    if (r.finishedAt !== null) return $localize`took ${durationWords(took)}, ${rate}`;
    const isRead = r.progress && r.progress.total > 0 ? r.progress.done / r.progress.total : 0;
    const share = r.counts.read > 0 ? (isRead * settled) / r.counts.read : 0;
    // While nothing may be sent, the rate so far says nothing of the rest.
    const left =
      share > 0.02 && r.opens === null ? $localize`, about ${durationWords(took * (1 / share - 1))} left` : '';
    return $localize`${durationWords(took)} so far, ${rate}${left}`;
  });

  constructor() {
    pageTitle(() => {
      const r = this.run();
      return r && `${r.kind === 'replay' ? $localize`Replay` : $localize`Run`} ${r.id} · ${r.planName}`;
    });
    effect(() => this.open());
  }
  protected open(): void {
    this.store.dispatch(runsActions.runOpened({ id: this.id() }));
  }
  protected cancel(): void {
    this.store.dispatch(runsActions.cancel({ id: this.id() }));
  }
  protected pause(): void {
    this.store.dispatch(runsActions.pause({ id: this.id() }));
  }
  protected resume(): void {
    this.store.dispatch(runsActions.resume({ id: this.id() }));
  }
  protected takeUp(): void {
    this.store.dispatch(runsActions.takeUp({ id: this.id() }));
  }
  /** What a person says yes to. */
  protected yes(): string {
    const gone = this.run()!.gone;
    if (!gone?.asked) return $localize`Replace the content all the same`;
    const them = gone.asked === 1 ? $localize`the record` : $localize`the ${figure(gone.asked)} records`;
    return gone.how === 'deleted' ? $localize`Delete ${them} all the same` : $localize`Mark ${them} all the same`;
  }
  protected replaceAll(): void {
    this.store.dispatch(runsActions.replaceAll({ id: this.id() }));
  }
}
