import { ChangeDetectionStrategy, Component, computed, inject, input, output, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import {
  addField,
  changeField,
  changeLine,
  moveField,
  writeCell,
  membersOf,
  sourceFieldText,
  structureOf,
  FAIL_WORDS,
  LINE_FAILURES,
  LINE_KINDS,
  LINE_STATES,
  removeField,
  setKey,
  usedFields,
  type Line,
  type MappingDocument,
} from '@versicle/core';
import { frameActions } from '../frame/frame.feature';
import { HelpButtonComponent } from '../shared/help-button.component';
import { SELECT } from '../shared/select';
import { SaidComponent } from '../shared/said.component';
import { SignComponent } from '../shared/signs.component';
import { FigurePipe } from '../shared/words';
import { LineCodesComponent } from './line-codes.component';
import { LineFormComponent } from './line-form.component';
import { LineHistoryComponent } from './line-history.component';
import { QuestionsComponent } from './questions.component';
import { RuleEditorComponent, type Mark } from './rule-editor.component';
import type { SheetRow } from './rows';
import { sheetActions } from './sheet.actions';
import { sheetFeature } from './sheet.feature';
import { GIVEN } from '../shared/given';
import { TYPES } from './cell-choices';
import { FieldComponent } from '../shared/form/field.component';

/** Codes that are shown beside a line. */
const CODES = 8;

/** What the template says in one case or another. */
const PHRASES = {
  rule: $localize`Rule`,
  source: $localize`Source`,
  anSqlExpression: $localize`an SQL expression`,
  aSourceField: $localize`a source field`,
  fault: $localize` fault`,
  faults: $localize` faults`,
  allOfThem: $localize`All of them`,
  changeThem: $localize`Change them`,
  record: $localize`record`,
  records: $localize`records`,
};

/** A line, opened below itself: everything about it, with what goes in and what comes out. */
@Component({
  selector: 'vs-line-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    FieldComponent,
    GIVEN,
    FormsModule,
    HelpButtonComponent,
    RouterLink,
    SELECT,
    SaidComponent,
    SignComponent,
    FigurePipe,
    LineCodesComponent,
    LineFormComponent,
    QuestionsComponent,
    LineHistoryComponent,
    RuleEditorComponent,
  ],
  templateUrl: './line-editor.component.html',
  styleUrl: './line-editor.component.less',
})
export class LineEditorComponent {
  protected readonly phrases = PHRASES;
  readonly row = input.required<SheetRow>();
  readonly document = input.required<MappingDocument>();
  readonly closed = output();
  /** Escape in an editor: back to the cells, the line stays open. */
  readonly left = output();
  private readonly store = inject(Store);
  private readonly editor = viewChild(RuleEditorComponent);
  private readonly samples = this.store.selectSignal(sheetFeature.selectSamples);
  private readonly trial = this.store.selectSignal(sheetFeature.selectTrial);
  protected readonly types = TYPES;
  protected readonly kinds = LINE_KINDS;
  protected readonly states = LINE_STATES;
  protected readonly failures = LINE_FAILURES;
  protected readonly failWords = FAIL_WORDS;
  protected readonly mapping = this.store.selectSignal(sheetFeature.selectId);
  protected readonly version = this.store.selectSignal(sheetFeature.selectVersion);
  protected readonly line = computed(() => this.row().line);
  protected readonly field = computed(() => this.document().target.fields.find((f) => f.name === this.line().target));
  protected readonly codeTables = computed(() => Object.keys(this.document().codeTables));
  /** The codes beside the line that translates by them. */
  protected readonly codes = computed(() => {
    const name = this.line().kind === 'lookup' ? this.line().codeTable : this.field()?.codeTable;
    const codes = name ? this.document().codeTables[name] : undefined;
    return name && codes ? { name, count: codes.length, first: codes.slice(0, CODES) } : null;
  });
  /** What the dictionary, the source's structure and the target's own description say of the fields on this line. */
  protected readonly definitions = computed(() => {
    const { dictionary, target } = this.document();
    const sources = membersOf(this.document());
    const found: { of: 'source' | 'target'; name: string; words: string }[] = [];
    for (const name of usedFields(this.line())) {
      const term = dictionary.find((t) => t.name === name && sources.some((m) => m.dataset === t.dataset));
      const told = sources.flatMap((m) => structureOf(this.document(), m) ?? []);
      const words = term?.description ?? told.find((f) => f.name === name)?.description;
      if (words) found.push({ of: 'source', name, words });
    }
    const field = this.field();
    const term = dictionary.find((t) => t.dataset === target.dataset && t.name === field?.name);
    const words = term?.description ?? field?.description;
    if (field && words) found.push({ of: 'target', name: field.label ?? field.name, words });
    return found;
  });
  protected readonly sourceFields = computed(() => {
    const samples = this.samples().value;
    const first = samples?.rows.find((r) => r.values.length > 0);
    return (samples?.fields ?? []).map((name, i) => ({
      name: sourceFieldText(this.document(), name),
      detail: first?.values[i] ?? 'null',
    }));
  });
  protected readonly targetFields = computed(() =>
    this.document().target.fields.map((f) => ({ name: f.name, detail: f.type })),
  );
  private readonly problems = computed(() =>
    (this.trial()?.problems ?? []).filter((p) => p.line === this.line().id && p.severity === 'error'),
  );
  /** The part of the line that the main editor shows. */
  protected readonly expression = computed(
    () => (this.line().kind === 'rule' ? this.line().rule : this.line().source) ?? '',
  );
  private readonly part = computed(() => (this.line().kind === 'rule' ? 'rule' : 'source'));
  protected readonly sampleFault = computed(() => this.trial()?.record?.lines[this.line().id]?.failure ?? null);
  protected readonly said = computed(
    () =>
      this.problems().find((p) => p.path === this.part() || !['condition', 'default', 'check'].includes(p.path)) ??
      null,
  );
  /** What the rule reads too leniently, with the strict function instead. */
  protected readonly remark = computed(
    () =>
      (this.trial()?.problems ?? []).find(
        (p) => p.line === this.line().id && p.severity === 'warning' && p.path === this.part() && p.at !== undefined,
      ) ?? null,
  );
  protected readonly marks = computed((): Mark[] => {
    const broken = this.problems()
      .filter((p) => p.path === this.part() && p.at !== undefined)
      .map((p) => ({ at: p.at!, end: p.end ?? p.at! + 1, message: p.message }));
    if (broken.length > 0) return broken;
    const fault = this.sampleFault();
    return fault?.at === undefined || fault.cause === 'check_failed'
      ? []
      : [{ at: fault.at, end: fault.end ?? fault.at + 1, message: fault.message }];
  });
  protected readonly inAndOut = computed(() => this.trial()?.inAndOut ?? []);
  /** Why no values stand there. */
  protected readonly nothingShown = computed(() => {
    if (this.row().broken) return $localize`They show again when the line can run.`;
    return this.trial() === null ? $localize`The results follow …` : $localize`No sample records.`;
  });
  protected readonly faults = computed(() => this.inAndOut().filter((v) => v.fault !== null).length);
  protected readonly failing = computed(() => this.trial()?.coverage.failing[this.line().id] ?? 0);
  protected readonly filled = computed(() => this.trial()?.coverage.filled[this.line().id] ?? null);
  protected readonly looked = computed(() => this.trial()?.looked ?? 0);

  focus(): void {
    this.editor()?.focus();
  }

  protected problemOf(path: string): string | null {
    return this.problems().find((p) => p.path === path)?.message ?? null;
  }
  protected marksOf(path: string): Mark[] {
    return this.problems()
      .filter((p) => p.path === path && p.at !== undefined)
      .map((p) => ({ at: p.at!, end: p.end ?? p.at! + 1, message: p.message }));
  }

  private give(document: MappingDocument, merge: string | null): void {
    this.store.dispatch(sheetActions.edited({ document, merge }));
  }
  protected set(patch: Partial<Line>, part: string): void {
    this.give(changeLine(this.document(), this.line().id, patch), `${this.line().id} ${part}`);
  }
  protected setText(part: keyof Line, text: string): void {
    this.set({ [part]: text === '' ? undefined : text }, part);
  }
  protected setExpression(text: string): void {
    this.setText(this.part(), text);
  }
  protected setKind(kind: Line['kind'] | null): void {
    const { source, rule } = this.line();
    const kept = source ?? rule;
    this.set(
      {
        kind: kind ?? undefined,
        source: kind === 'straight' || kind === 'lookup' ? kept : undefined,
        rule: kind === 'rule' ? (rule ?? source) : undefined,
        value: kind === 'constant' ? (this.line().value ?? '') : undefined,
        codeTable: kind === 'lookup' ? (this.line().codeTable ?? this.codeTables()[0]) : undefined,
        generate: kind === 'generated' ? 'uuid' : undefined,
        of: undefined,
      },
      'kind',
    );
  }
  protected setOf(text: string): void {
    const of = text
      .split(',')
      .map((t) => t.trim())
      .filter(Boolean);
    this.set({ of: of.length > 0 ? of : undefined }, 'of');
  }
  protected setLabel(text: string): void {
    const label = text.trim();
    this.give(
      changeField(this.document(), this.line().target, { label: label === '' ? undefined : label }),
      $localize`${this.line().id} field label`,
    );
  }
  /** Name and type as their cells take them; what can't stand there is said, and goes back. */
  protected write(cell: 'name' | 'type', box: HTMLInputElement): void {
    const written = writeCell(this.document(), this.line().id, cell, box.value);
    if (typeof written !== 'string') return this.give(written, null);
    box.value = cell === 'name' ? this.line().target : (this.field()?.type ?? '');
    this.store.dispatch(frameActions.say({ text: written, problem: true }));
  }
  protected moveField(by: 1 | -1): void {
    this.give(moveField(this.document(), this.line().target, by), null);
  }
  protected setRequired(required: boolean): void {
    this.give(changeField(this.document(), this.line().target, { required, nullable: !required }), null);
  }
  protected setKey(inKey: boolean): void {
    this.give(setKey(this.document(), this.line().target, inKey), null);
  }
  protected addField(): void {
    const names = new Set(this.document().target.fields.map((f) => f.name));
    let n = names.size + 1;
    while (names.has(`field_${n}`)) n++;
    this.give(addField(this.document(), `field_${n}`, 'text'), null);
  }
  protected removeField(): void {
    this.closed.emit();
    this.give(removeField(this.document(), this.line().target), null);
  }
}
