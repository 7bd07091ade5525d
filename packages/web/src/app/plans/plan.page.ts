import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  ElementRef,
  inject,
  input,
  linkedSignal,
  signal,
  viewChild,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { canonicalPlan, type NameOf, type PlanDocument } from '@versicle/core';
import { mappingsActions, mappingsFeature } from '../mappings/mappings.feature';
import { HABITS } from '../shared/locale';
import { LoadingComponent } from '../shared/loading.component';
import { pageTitle } from '../shared/page-title';
import { SaidComponent } from '../shared/said.component';
import { SELECT } from '../shared/select';
import { systemsActions, systemsFeature } from '../systems/systems.feature';
import { AboutEditorComponent } from './about-editor.component';
import { ABOUT, LIMITS, TELL, type Part, partOf, samePart, type StepKind, withNewStep } from './edit-plan';
import { LimitsEditorComponent } from './limits-editor.component';
import { PlanSentenceComponent } from './plan-sentence.component';
import { PlanSideComponent } from './plan-side.component';
import { planActions, planFeature } from './plan.feature';
import { plansActions, plansFeature } from './plans.feature';
import { StartPlanComponent } from './start-plan.component';
import { TellEditorComponent } from './tell-editor.component';
import { StepEditorComponent } from './step-editor.component';
import { TriggerEditorComponent } from './trigger-editor.component';

/** What the template says in one case or another. */
const PHRASES = {
  letItGoOn: $localize`Let it go on`,
  holdIt: $localize`Hold it`,
  aMigrationDoneOnce: $localize`A migration, done once.`,
  noPurposeIsWritten: $localize`No purpose is written down yet.`,
};

/** A plan as a text with gaps: what is chosen in a gap changes the sentence, and is kept at once. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  host: { '(keydown.escape)': 'close()', '(window:beforeunload)': 'guard($event)' },
  imports: [
    AboutEditorComponent,
    FormsModule,
    LimitsEditorComponent,
    LoadingComponent,
    PlanSentenceComponent,
    PlanSideComponent,
    SaidComponent,
    SELECT,
    StartPlanComponent,
    TellEditorComponent,
    StepEditorComponent,
    TriggerEditorComponent,
  ],
  template: `
    <div class="page">
      <vs-loading [of]="loading()" (again)="load()" />
      @if (plan(); as p) {
        <div class="top">
          <h1>{{ draft().name }}</h1>
          <span class="dim" role="status">{{ kept() }}</span>
          <span class="grow"></span>
          <button i18n type="button" class="btn quiet" [disabled]="!canUndo()" (click)="undo()">Undo</button>
          <button
            i18n
            type="button"
            class="btn quiet"
            (click)="versionsOpen.set(!versionsOpen())"
            [attr.aria-expanded]="versionsOpen()"
          >
            Versions
          </button>
          <button i18n type="button" class="btn quiet" (click)="download()">Download</button>
          @if (p.document.triggers.length > 0) {
            <button type="button" class="btn" (click)="hold(!p.held)">
              {{ p.held ? phrases.letItGoOn : phrases.holdIt }}
            </button>
          }
          <button i18n type="button" class="btn first" (click)="starting.set(true)">Run …</button>
        </div>
        <p class="sub">
          {{
            draft().purpose || (draft().sort === 'migration' ? phrases.aMigrationDoneOnce : phrases.noPurposeIsWritten)
          }}
          <button i18n type="button" class="btn quiet" (click)="toggle(ABOUT)" [attr.aria-expanded]="isOpen(ABOUT)">
            Name, purpose, variables
          </button>
        </p>
        @if (p.held) {
          <p i18n class="told" role="status">
            <b>Held.</b> Nothing starts it by itself until it is let go; people can.
          </p>
        }
        @if (problem()) {
          <p i18n class="told rub" role="alert">Not kept: <vs-said [text]="problem()!" /></p>
        }
        @if (starting()) {
          <vs-start-plan [plan]="p" [kept]="isKept()" (closed)="starting.set(false)" />
        }
        <div class="grid">
          <div>
            @if (isOpen(ABOUT)) {
              <div class="editor"><vs-about-editor [plan]="draft()" (changed)="edit($event)" /></div>
            }
            <vs-plan-sentence [plan]="draft()" [names]="names()" [opened]="part()" (open)="openGap($event)">
              @if (part()?.kind === 'trigger') {
                <div begins class="editor">
                  <vs-trigger-editor
                    [id]="p.id"
                    [plan]="draft()"
                    [index]="part()!.index"
                    (changed)="editTrigger($event)"
                    (added)="part.set({ kind: 'trigger', index: $event })"
                  />
                  @if (nextTimes(); as times) {
                    <p class="today">{{ times }}</p>
                  }
                </div>
              }
              @if (part()?.kind === 'step') {
                <div steps class="editor">
                  <vs-step-editor [id]="p.id" [plan]="draft()" [index]="part()!.index" (changed)="editStep($event)" />
                </div>
              }
            </vs-plan-sentence>
            @if (isOpen(LIMITS)) {
              <div class="editor"><vs-limits-editor [plan]="draft()" (changed)="edit($event)" /></div>
            }
            @if (isOpen(TELL)) {
              <div class="editor"><vs-tell-editor [plan]="draft()" (changed)="edit($event)" /></div>
            }
            <p class="more">
              @if (draft().triggers.length > 0) {
                <button i18n type="button" class="add" (click)="toggle({ kind: 'trigger', index: -1 })">
                  add a start
                </button>
              }
              <button i18n type="button" class="add" [attr.aria-expanded]="adding()" (click)="adding.set(!adding())">
                add a step
              </button>
              <button i18n type="button" class="add" (click)="toggle(LIMITS)" [attr.aria-expanded]="isOpen(LIMITS)">
                limits, and what if it still runs
              </button>
              <button i18n type="button" class="add" (click)="toggle(TELL)" [attr.aria-expanded]="isOpen(TELL)">
                who is told of it
              </button>
            </p>
            @if (adding()) {
              <div class="editor row">
                <nz-select
                  class="what"
                  nzId="new-step"
                  aria-label="What the new step does"
                  i18n-aria-label
                  nzPlaceHolder="What does it do?"
                  i18n-nzPlaceHolder
                  nzShowSearch
                  [ngModel]="null"
                  (ngModelChange)="addStep($event)"
                >
                  @for (o of offers(); track o.key) {
                    <nz-option [nzValue]="o" [nzLabel]="o.words" />
                  }
                </nz-select>
              </div>
            }
          </div>
          <vs-plan-side [plan]="p" [versionsOpen]="versionsOpen()" (restore)="edit($event)" />
        </div>
      }
    </div>
  `,
  styles: `
    .grid {
      display: grid;
      grid-template-columns: minmax(0, 1fr) 340px;
      gap: 44px;
      margin-top: 8px;
    }
    @media (max-width: 1080px) {
      .grid {
        grid-template-columns: minmax(0, 1fr);
        gap: 20px;
      }
    }
    .editor {
      border: 1px solid var(--line);
      background: var(--raised);
      padding: 12px 14px;
      margin: 6px 0 10px;
      max-width: 640px;
      font: 14px/1.45 var(--sans);
    }
    .today {
      margin: 10px 0 0;
      color: var(--ink-2);
    }
    .told {
      border-left: 3px solid var(--line);
      padding: 4px 12px;
      margin: 0 0 8px;
    }
    .told.rub {
      border-color: var(--rubric);
    }
    .more {
      margin: 8px 0;
      display: flex;
      flex-wrap: wrap;
      gap: 4px 16px;
    }
    .add {
      font: 15.5px/1.5 var(--serif);
      color: var(--ink-3);
      background: none;
      border: 0;
      border-bottom: 1px dashed var(--ink-3);
      padding: 0;
      cursor: pointer;
    }
    .add:hover {
      color: var(--act);
      border-color: var(--act);
    }
    .what {
      width: 100%;
    }
  `,
})
export class PlanPage {
  protected readonly phrases = PHRASES;
  readonly id = input.required<string>();
  protected readonly ABOUT = ABOUT;
  protected readonly LIMITS = LIMITS;
  protected readonly TELL = TELL;
  private readonly store = inject(Store);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
  private readonly sentence = viewChild(PlanSentenceComponent);
  private readonly state = this.store.selectSignal(planFeature.selectPlanState);
  private readonly mappings = this.store.selectSignal(mappingsFeature.selectMappings);
  private readonly systems = this.store.selectSignal(systemsFeature.selectSystems);
  private readonly plans = this.store.selectSignal(plansFeature.selectPlans);
  protected readonly loading = computed(() => this.state().plan);
  protected readonly plan = computed(() => this.loading().value);
  protected readonly draft = computed((): PlanDocument => this.state().draft ?? this.plan()!.document);
  protected readonly problem = computed(() => this.state().problem);
  protected readonly canUndo = computed(() => this.problem() !== null || this.state().before.length > 0);
  protected readonly kept = computed(() => {
    const version = $localize`version ${this.plan()!.version}`;
    if (this.problem() !== null) return $localize`${version}, with changes that are not kept`;
    return this.state().saving ? $localize`${version}, saving` : $localize`${version}, saved`;
  });
  /** Whether what is seen here is what a run would go by. */
  protected readonly isKept = computed(() => !this.state().saving && this.problem() === null);
  protected readonly part = signal<Part | null>(null);
  /** The gap through which the open part was come to. */
  private path = '';
  protected readonly adding = signal(false);
  /** Whether the start form is open when the page is come to. */
  readonly start = input<string | undefined>();
  protected readonly starting = linkedSignal(() => this.start() !== undefined);
  protected readonly versionsOpen = signal(false);
  protected readonly names = computed((): NameOf => {
    const all = {
      mapping: this.mappings().value ?? [],
      system: this.systems().value ?? [],
      plan: this.plans().value ?? [],
    };
    return (kind, id) => all[kind].find((one) => one.id === id)?.name ?? id;
  });
  protected readonly nextTimes = computed(() => {
    const index = this.part()?.index ?? -1;
    const id = this.draft().triggers[index]?.id;
    const found = this.plan()!.triggers.find((t) => t.id === id);
    const [next, after] = found?.next ?? [];
    if (next === undefined) return null;
    const zone = this.draft().triggers[index]!;
    const words = (at: string): string =>
      new Intl.DateTimeFormat(HABITS.dates, {
        ...(zone.kind === 'schedule' ? { timeZone: zone.zone } : {}),
        weekday: 'long',
        day: 'numeric',
        month: 'long',
        hour: '2-digit',
        minute: '2-digit',
        ...(zone.kind === 'every' ? { second: '2-digit' } : {}),
      }).format(new Date(at));
    return $localize`Next: ${words(next.at)}${after ? $localize`, then ${words(after.at)}` : ''}.`;
  });
  /** Datasets that several mappings read as they come, with those. */
  private readonly sharable = computed(() => {
    const single = (this.mappings().value ?? []).filter((m) => m.further.length === 0);
    const by = new Map<string, string[]>();
    for (const { id, source } of single) by.set(source, [...(by.get(source) ?? []), id]);
    return new Map([...by].filter(([, takers]) => takers.length > 1));
  });
  protected readonly offers = computed(() => {
    const offer = (kind: StepKind, id: string, words: string) => ({ key: `${kind} ${id}`, kind, id, words });
    return [
      ...(this.mappings().value ?? []).map((m) => offer('mapping', m.id, $localize`load ${m.name}`)),
      ...(this.plans().value ?? [])
        .filter((p) => p.id !== this.id())
        .map((p) => offer('plan', p.id, $localize`carry out the plan ${p.name}`)),
      ...[...this.sharable()].map(([dataset]) =>
        offer('share', dataset, $localize`share out the records of ${dataset}`),
      ),
      ...(this.systems().value ?? []).flatMap((s) => [
        ...(['embedded', 'postgres'].includes(s.connection.kind)
          ? [offer('sql', s.id, $localize`a statement in ${s.name}`)]
          : []),
        ...(s.connection.kind === 'http' ? [offer('request', s.id, $localize`a request to ${s.name}`)] : []),
      ]),
    ];
  });

  constructor() {
    pageTitle(() => this.plan()?.name);
    effect(() => this.load());
    this.store.dispatch(plansActions.opened());
    this.store.dispatch(mappingsActions.opened());
    this.store.dispatch(systemsActions.opened());
    inject(DestroyRef).onDestroy(() => this.store.dispatch(planActions.left()));
  }
  /** A browser that is closed asks first where something is not kept. */
  protected guard(event: BeforeUnloadEvent): void {
    if (!this.isKept()) event.preventDefault();
  }
  protected load(): void {
    this.store.dispatch(planActions.opened({ id: this.id() }));
  }

  protected isOpen(part: Part): boolean {
    return samePart(this.part(), part);
  }
  protected toggle(part: Part): void {
    this.part.set(this.isOpen(part) ? null : part);
    this.adding.set(false);
    this.enter();
  }
  protected openGap(path: string): void {
    this.path = path;
    this.toggle(partOf(path));
  }
  /** Whoever opened a gap writes there next. */
  private enter(): void {
    if (this.part() === null) return;
    setTimeout(() => this.host.querySelector<HTMLElement>('.editor input, .editor textarea, .editor button')?.focus());
  }
  protected close(): void {
    if (this.part() === null && !this.adding()) return;
    // An open list of choices is closed first.
    if (this.host.querySelector('.ant-select-open')) return;
    this.part.set(null);
    this.adding.set(false);
    setTimeout(() => this.sentence()?.focus(this.path));
  }

  protected edit(change: Partial<PlanDocument>): void {
    const document = { ...this.draft(), ...change };
    for (const key of ['purpose', 'stop', 'expected'] as const) if (document[key] === undefined) delete document[key];
    this.store.dispatch(planActions.edited({ document }));
  }
  protected editTrigger(document: PlanDocument): void {
    if (document.triggers.length < this.draft().triggers.length) this.part.set(null);
    this.edit(document);
  }
  protected editStep(document: PlanDocument): void {
    if (document.steps.length < this.draft().steps.length) this.part.set(null);
    this.edit(document);
  }
  protected addStep({ kind, id }: { kind: StepKind; id: string }): void {
    const document = withNewStep(this.draft(), kind, id, this.sharable().get(id));
    this.adding.set(false);
    this.edit(document);
    this.part.set({ kind: 'step', index: document.steps.length - 1 });
    this.path = `steps[${document.steps.length - 1}]`;
    this.enter();
  }
  protected undo(): void {
    const wasKept = this.problem() === null;
    this.store.dispatch(planActions.undo());
    // Somebody else may have saved it: what is kept is asked for anew.
    if (!wasKept) this.load();
  }
  protected hold(held: boolean): void {
    this.store.dispatch(planActions.hold({ held }));
  }
  protected download(): void {
    const link = document.createElement('a');
    link.href = URL.createObjectURL(new Blob([canonicalPlan(this.draft())], { type: 'application/json' }));
    link.download = `${this.id()}.plan.versicle.json`;
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 1000);
  }
}
