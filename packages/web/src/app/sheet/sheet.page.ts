import {
  ChangeDetectionStrategy,
  Component,
  computed,
  DestroyRef,
  effect,
  type ElementRef,
  inject,
  input,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { WorkbookRead } from '@versicle/contract';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { pageTitle } from '../shared/page-title';
import {
  addExample,
  addField,
  canonicalText,
  changeLine,
  countInRules,
  expectationOf,
  LINE_KINDS,
  LINE_STATES,
  membersOf,
  sourceFieldText,
  usedSourceNames,
  replaceInRules,
  timestampOfMillis,
  withAllLines,
  writeCell,
  type MappingDocument,
} from '@versicle/core';
import type { Cell } from '@versicle/core';
import { chapterOf } from '../help/chapters';
import { HelpButtonComponent } from '../shared/help-button.component';
import { SELECT } from '../shared/select';
import { frameActions } from '../frame/frame.feature';
import { ProgressComponent } from '../mappings/progress.component';
import { LoadingComponent } from '../shared/loading.component';
import { SignComponent } from '../shared/signs.component';
import { SurfaceDirective } from '../shared/surface.directive';
import { capital, figure, FigurePipe, firstOf, inWords } from '../shared/words';
import { CodeTablesComponent } from './code-tables.component';
import { ColumnChoiceComponent } from './column-choice.component';
import { DocumentPanelComponent } from './document-panel.component';
import { choicesFor } from './cell-choices';
import type { CellEdit } from './grid-cells';
import { GridComponent } from './grid.component';
import type { SheetRow } from './rows';
import { LineEditorComponent } from './line-editor.component';
import { QuestionsComponent } from './questions.component';
import { PublishPanelComponent } from './publish-panel.component';
import { SqlPanelComponent } from './sql-panel.component';
import { SuggestPanelComponent } from './suggest-panel.component';
import { TrialPanelComponent } from '../trial/trial-panel.component';
import { ExamplesPanelComponent } from './examples-panel.component';
import { WorkbookMenuComponent } from './workbook-menu.component';
import { WorkbookPanelComponent } from './workbook-panel.component';
import { SourceSetPanelComponent } from '../source-sets/source-set-panel.component';
import { leaveBehind, nothingBehind } from './left-behind';
import { sayGone } from './presence';
import { SheetKeeper } from './sheet-keeper';
import { sheetActions, type SampleSet } from './sheet.actions';
import { sheetFeature } from './sheet.feature';

const VIEWS = [
  ['sheet', $localize`Sheet`],
  ['source', $localize`Source set`],
  ['document', $localize`Document`],
  ['codes', $localize`Code tables used`],
  ['questions', $localize`Questions`],
  ['examples', $localize`Examples`],
  ['trial', $localize`Trial`],
  ['sql', 'SQL'],
] as const;

const SAMPLE_SETS: readonly (readonly [SampleSet, string])[] = [
  ['source', $localize`Source records`],
  ['failed', $localize`Failed records`],
  ['examples', $localize`Examples`],
];

const needsPerson = (r: SheetRow): boolean =>
  r.failures > 0 || r.broken || r.line.state === 'question' || (r.required && !r.line.kind);
/** Which lines are shown; the key is what the address says. */
const FILTERS: readonly { readonly key: string; readonly words: string; readonly meets: (row: SheetRow) => boolean }[] =
  [
    { key: 'person', words: $localize`needs a person`, meets: needsPerson },
    ...LINE_STATES.map((state) => ({ key: state, words: state, meets: (r: SheetRow) => r.line.state === state })),
    ...LINE_KINDS.map((kind) => ({ key: kind, words: `kind: ${kind}`, meets: (r: SheetRow) => r.line.kind === kind })),
    { key: 'failing', words: $localize`with failed records`, meets: (r) => r.failures > 0 },
    { key: 'fault', words: $localize`at fault for this record`, meets: (r) => r.problem !== null },
    { key: 'required', words: $localize`required`, meets: (r) => r.required },
    { key: 'edited', words: $localize`edited since publishing`, meets: (r) => r.changed },
  ];

/** What the template says in one case or another. */
const PHRASES = {
  fetchingFailedRecords: $localize`Fetching failed records …`,
  noRecordOfThis: $localize`No record of this mapping has failed.`,
  time: $localize`time`,
  times: $localize`times`,
  line: $localize`line`,
  lines: $localize`lines`,
  null: $localize`null`,
  addATargetField: $localize`Add a target field for `,
  leaveItOut: $localize`Leave it out`,
  leaveThemOut: $localize`Leave them out`,
};

/** The mapping sheet: the document on screen, with the results for a real record beside each line. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    HelpButtonComponent,
    FormsModule,
    RouterLink,
    SELECT,
    ProgressComponent,
    LoadingComponent,
    SignComponent,
    FigurePipe,
    SurfaceDirective,
    CodeTablesComponent,
    ColumnChoiceComponent,
    DocumentPanelComponent,
    ExamplesPanelComponent,
    GridComponent,
    QuestionsComponent,
    LineEditorComponent,
    PublishPanelComponent,
    SuggestPanelComponent,
    TrialPanelComponent,
    SourceSetPanelComponent,
    SqlPanelComponent,
    WorkbookMenuComponent,
    WorkbookPanelComponent,
  ],
  host: { '(window:beforeunload)': 'guard($event)', '(window:pagehide)': 'gone()' },
  templateUrl: './sheet.page.html',
  styleUrl: './sheet.page.less',
})
export class SheetPage {
  protected readonly phrases = PHRASES;
  readonly id = input.required<string>();
  readonly line = input<string | undefined>();
  readonly record = input<string | undefined>();
  readonly view = input<string | undefined>();
  readonly show = input<string | undefined>();
  readonly find = input<string | undefined>();
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly keeper = inject(SheetKeeper);
  private readonly grid = viewChild(GridComponent);
  private readonly findBox = viewChild<ElementRef<HTMLInputElement>>('findBox');
  protected readonly views = VIEWS;
  protected readonly filters = FILTERS;
  protected readonly s = this.store.selectSignal(sheetFeature.selectSheetState);
  private readonly allRows = this.store.selectSignal(sheetFeature.selectRows);
  protected readonly sample = this.store.selectSignal(sheetFeature.selectSampleRow);
  protected readonly sampleRows = this.store.selectSignal(sheetFeature.selectSampleRows);
  protected readonly shown = computed(() => VIEWS.find(([key]) => key === this.view())?.[0] ?? 'sheet');
  protected readonly noticed = signal('');
  protected readonly rows = computed(() => {
    const words = (this.find() ?? '').toLowerCase();
    const meets = FILTERS.find((f) => f.key === this.show())?.meets ?? (() => true);
    return this.allRows().filter(
      (r) =>
        meets(r) &&
        `${r.source} ${r.kind} ${r.how} ${r.target} ${r.targetName} ${r.line.note ?? ''}`.toLowerCase().includes(words),
    );
  });
  protected readonly needPerson = computed(() => this.allRows().filter(needsPerson).length);
  protected readonly lineStates = computed(() => {
    const counts: Record<string, number> = {};
    for (const line of this.s().document?.lines ?? []) counts[line.state] = (counts[line.state] ?? 0) + 1;
    return counts;
  });
  /** The chapter of the view that is shown. */
  protected readonly helpChapter = computed(() => chapterOf(`/mappings/x?view=${this.shown()}`));
  protected readonly helpWords = computed(() => VIEWS.find(([view]) => view === this.shown())![1]);
  protected readonly openFailures = computed(() => this.s().detail.value?.openFailures ?? 0);
  protected readonly sampleWords = computed(() => {
    const { samples, sample, sampleSet, document } = this.s();
    const row = this.sample();
    if (!row || !samples.value) return '';
    if (sampleSet === 'examples') {
      const example = document?.examples?.[sample];
      return $localize`${row.row} of ${document?.examples?.length ?? 0} · ${example?.note ?? example?.id ?? ''}`;
    }
    const label = row.problem
      ? $localize`can’t be read`
      : row.values
          .filter((v) => v !== null)
          .slice(0, 2)
          .join(' · ');
    const failed = samples.value.failed && sampleSet === 'source' && sample === 0 ? $localize`the failed record, ` : '';
    return $localize`${failed}row ${figure(row.row)} · ${label}`;
  });
  /** What would become of the sample record, in two words; why, on hover and in its lines. */
  protected readonly outcome = computed((): { words: string; reason: string } | null => {
    const record = this.s().trial?.record;
    if (!record || record.outcome === 'written') return null;
    const words = {
      failed: $localize`would fail`,
      filtered: $localize`filtered out`,
      skipped: $localize`skipped`,
      unreadable: $localize`can’t be read`,
    };
    return { words: words[record.outcome], reason: record.reason };
  });
  protected readonly revisionWords = computed(() => {
    const { detail, changedLines } = this.s();
    const revision = detail.value?.revision;
    if (revision === null || revision === undefined) return $localize`draft, not published yet`;
    if (changedLines.length === 0) return $localize`revision ${revision}`;
    return $localize`draft after revision ${revision}, ${inWords(changedLines.length, $localize`line`, $localize`lines`)} changed`;
  });
  protected readonly savedWords = computed(
    () =>
      ({
        saved: $localize`saved`,
        waiting: $localize`saving …`,
        failed: $localize`not saved`,
        conflict: $localize`not saved`,
      })[this.s().saving],
  );
  protected readonly warning = computed(
    () => this.s().trial?.problems.find((p) => p.severity === 'warning' && !p.line)?.message ?? '',
  );
  /** Lines of optional fields that nothing fills, and that nobody left out on purpose. */
  protected readonly optional = computed(() => this.allRows().filter((r) => !r.line.kind && !r.required && !r.key));
  protected leaveOut(): void {
    const document = this.optional().reduce(
      (d, { id }) => changeLine(d, id, { kind: 'not loaded', state: 'drafted' }),
      this.s().document!,
    );
    const count = this.optional().length;
    this.store.dispatch(sheetActions.edited({ document, merge: null }));
    this.say(
      $localize`${capital(inWords(count, $localize`field`, $localize`fields`))} will not be loaded; Ctrl+Z takes it back.`,
    );
  }
  /** The datasets of the source set; after all but the last one stands a comma. */
  private readonly members = computed(() => {
    const members = membersOf(this.s().document!);
    return members.map(({ role, dataset, alias }, i) => ({
      dataset,
      words: `${role === 'union' ? $localize`below it` : $localize`as ${alias}`}${i === members.length - 1 ? '' : ','}`,
    }));
  });
  protected readonly primaryWords = computed(() => this.members()[0]!.words);
  protected readonly further = computed(() => this.members().slice(1));
  /** What cells take: code tables, constants and fields of this document, or one of a few words. */
  protected readonly choices = computed(() => {
    const { document, samples } = this.s();
    const fields = document ? (samples.value?.fields ?? []).map((name) => sourceFieldText(document, name)) : [];
    return (cell: Cell, typed: string) => (document ? choicesFor(document, fields, cell, typed) : []);
  });
  protected readonly unusedShown = signal(false);
  /** Source fields that no line, filter or skip reads, with a value of the sample record. */
  protected readonly unused = computed(() => {
    const { document, samples } = this.s();
    if (!document || !samples.value) return [];
    const named = usedSourceNames(document);
    const values = this.sample()?.values ?? [];
    return samples.value.fields.flatMap((name, i) =>
      named.has(name) || sourceFieldText(document, name) === name ? [] : [{ name, value: values[i] ?? null }],
    );
  });
  protected readonly unusedWords = computed(() => {
    const count = this.unused().length;
    return $localize`${capital(inWords(count, $localize`source field is`, $localize`source fields are`))} not used`;
  });
  protected addFieldFor(name: string): void {
    const document = this.s().document!;
    const taken = new Set(document.target.fields.map((f) => f.name));
    const own = name.slice(name.lastIndexOf('.') + 1);
    let field = own;
    for (let n = 2; taken.has(field); n++) field = `${own}_${n}`;
    const added = addField(document, field, 'text');
    const line = added.lines.find((l) => l.target === field)!;
    const source = sourceFieldText(document, name);
    const drafted = changeLine(added, line.id, { kind: 'straight', source });
    this.store.dispatch(sheetActions.edited({ document: drafted, merge: null }));
  }
  /** Where the text that is looked for stands in rules. */
  protected readonly found = computed(() => {
    const { document } = this.s();
    return document ? countInRules(document, this.find() ?? '') : { places: 0, lines: 0 };
  });
  protected readonly errors = computed(
    () => this.s().trial?.problems.filter((p) => p.severity === 'error' && !p.line) ?? [],
  );
  protected readonly capital = capital;

  constructor() {
    pageTitle(() => this.s().document?.name);
    effect(() => {
      const id = this.id();
      const record = this.record();
      untracked(() =>
        this.store.dispatch(
          sheetActions.opened({ id, record: record ? Number(record) : null, line: this.line() ?? null }),
        ),
      );
    });
    // When the sheet was opened for a line, the keys go there.
    effect(() => {
      const grid = this.grid();
      if (grid) untracked(() => grid.focus());
    });
    inject(DestroyRef).onDestroy(() => this.store.dispatch(sheetActions.left()));
  }

  protected ask(queryParams: Record<string, string | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge', replaceUrl: true });
  }
  /** A workbook that was read back, while it is looked at. */
  protected readonly workbook = signal<WorkbookRead | null>(null);
  protected takeWorkbook(document: MappingDocument): void {
    this.store.dispatch(sheetActions.edited({ document: withAllLines(document), merge: null }));
    this.workbook.set(null);
    this.say($localize`The draft says what the workbook says; Ctrl+Z takes it back.`);
  }
  protected readonly sets = SAMPLE_SETS;
  protected chooseSet(from: SampleSet): void {
    this.store.dispatch(sheetActions.sampleSetChosen({ from, index: 0 }));
  }
  protected readonly exampleCount = computed(() => this.s().document?.examples?.length ?? 0);
  protected readonly openQuestions = computed(
    () => this.s().document?.questions.filter((q) => q.answer === undefined).length ?? 0,
  );
  protected showLine(line: string): void {
    this.store.dispatch(sheetActions.lineOpened({ line }));
    this.ask({ view: null, line });
  }
  protected readonly wrongExamples = computed(
    () => this.s().trial?.examples.filter((e) => e.differences.length > 0).length ?? 0,
  );
  /** Keeps the sample record, with what comes out of it now as what is expected. */
  protected keepExample(): void {
    const { document, samples } = this.s();
    const row = this.sample();
    if (!document || !samples.value || !row) return;
    const { fields, marks, keyMaps, variables } = samples.value;
    const expect = expectationOf(
      { document, fields, marks, keyMaps, variables, now: timestampOfMillis(Date.now()) },
      row.values,
      row.file,
    );
    if (expect === null) return this.noticed.set($localize`A record that can’t be read can’t be an example.`);
    const source = Object.fromEntries(fields.map((f, i) => [f, row.values[i] ?? null]));
    this.store.dispatch(
      sheetActions.edited({
        document: addExample(document, { source, ...(row.file === null ? {} : { file: row.file }), expect }),
        merge: null,
      }),
    );
    this.say($localize`Kept as an example: publishing and the command line’s check try it each time.`);
  }
  protected step(by: number): void {
    this.store.dispatch(sheetActions.sampleChosen({ index: this.s().sample + by }));
  }
  protected openLine(line: string | null): void {
    this.store.dispatch(sheetActions.lineOpened({ line }));
    this.ask({ line });
    if (line === null) this.grid()?.focus();
  }
  protected toFind(): void {
    this.findBox()?.nativeElement.focus();
  }
  /** Escape leaves no filter behind that nobody sees: the browser empties the box by itself. */
  protected findNothing(): void {
    this.ask({ find: null });
    this.toGrid();
  }
  protected toGrid(): void {
    this.grid()?.focus();
  }

  /** All edits of one paste are one step; a text that can't stand in its cell is refused with a sentence, the others are kept. */
  protected write(edits: readonly CellEdit[]): void {
    let document = this.s().document!;
    const refused: string[] = [];
    const renamed: string[] = [];
    for (const { line, cell, text } of edits) {
      const next = writeCell(document, line, cell, text);
      if (typeof next === 'string') refused.push(next);
      else {
        const name = (d: MappingDocument): string => d.lines.find((l) => l.id === line)?.target ?? '';
        if (name(next) !== name(document))
          renamed.push($localize`“${name(document)}” is called “${name(next)}” in the target now`);
        document = next;
      }
    }
    this.store.dispatch(sheetActions.edited({ document, merge: null }));
    // Typed where labels stand as well, a name must not change unnoticed.
    if (renamed.length > 0)
      this.store.dispatch(
        frameActions.say({
          text: $localize`${firstOf(renamed, 3, '; ')}, also in checks and examples.`,
          problem: false,
        }),
      );
    this.noticed.set(
      refused.length === 0
        ? ''
        : refused.length === 1
          ? refused[0]!
          : $localize`${refused.length} cells were left as they were: ${refused[0]}`,
    );
  }
  protected readonly toMap = computed(() => this.s().document?.lines.filter((l) => l.kind === undefined).length ?? 0);
  protected suggest(): void {
    this.store.dispatch(sheetActions.suggestionsAsked());
  }
  protected say(text: string): void {
    this.store.dispatch(frameActions.say({ text, problem: false }));
    this.toGrid();
  }
  /** All places at once, and one step of undo. */
  protected replace(by: string): void {
    const { places, lines } = this.found();
    const document = replaceInRules(this.s().document!, this.find() ?? '', by);
    this.store.dispatch(sheetActions.edited({ document, merge: null }));
    this.ask({ find: null });
    this.say(
      $localize`Replaced ${inWords(places, $localize`place`, $localize`places`)} in ${inWords(lines, $localize`line`, $localize`lines`)}; Ctrl+Z takes it back.`,
    );
  }
  protected undo(): void {
    this.store.dispatch(sheetActions.undone());
  }
  protected redo(): void {
    this.store.dispatch(sheetActions.redone());
  }
  protected again(): void {
    this.store.dispatch(sheetActions.opened({ id: this.id(), record: this.s().record, line: this.s().open }));
  }
  protected saveAgain(): void {
    this.store.dispatch(sheetActions.saveAgain());
  }
  protected askPublish(): void {
    this.store.dispatch(sheetActions.publishAsked());
  }
  protected download(): void {
    const document = this.s().document!;
    const link = window.document.createElement('a');
    link.href = URL.createObjectURL(new Blob([canonicalText(document)], { type: 'application/json' }));
    link.download = `${this.id()}.versicle.json`;
    link.click();
    URL.revokeObjectURL(link.href);
    this.store.dispatch(
      frameActions.say({
        text: $localize`${link.download} holds the draft; the command line applies it as it is.`,
        problem: false,
      }),
    );
  }
  protected gone(): void {
    sayGone(this.id());
  }
  protected guard(event: BeforeUnloadEvent): void {
    this.keeper.commit();
    const { id, document, stored, version, saving, unheard, bringing } = this.s();
    if (document === null || stored === null || saving === 'saved') return;
    if (!leaveBehind(id, { base: stored, document, version, unheard })) event.preventDefault();
    // What was being brought back is among it.
    else if (bringing !== null) nothingBehind(id, bringing);
  }
  /** For each clash, whether what was edited here is kept. */
  protected readonly mine = signal<ReadonlySet<string>>(new Set());
  protected takeMine(what: string, taken: boolean): void {
    this.mine.update((all) => new Set(taken ? [...all, what] : [...all].filter((w) => w !== what)));
  }
  protected settleClash(): void {
    this.store.dispatch(sheetActions.clashSettled({ mine: [...this.mine()] }));
    this.mine.set(new Set());
    this.toGrid();
  }
  protected dropEdits(): void {
    this.store.dispatch(sheetActions.editsDropped());
    this.say($localize`Your last edits were thrown away; the sheet shows what is saved.`);
  }
  /** Others who have this sheet open, with the line that they are on. */
  protected readonly others = computed(() => {
    const lines = this.s().document?.lines ?? [];
    return this.s().people.map(({ person, line }) => {
      const number = lines.findIndex((l) => l.id === line) + 1;
      return number > 0 ? $localize`${person} on line ${number}` : person;
    });
  });
}
