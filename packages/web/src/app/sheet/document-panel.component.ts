import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { sourceFieldText, WRITE_WORDS, type MappingDocument } from '@versicle/core';
import { frameActions } from '../frame/frame.feature';
import { KeyMapComponent } from '../key-maps/key-map.component';
import { Api, type ServerProblem } from '../shared/api';
import { SELECT } from '../shared/select';
import { RuleEditorComponent, type Mark } from './rule-editor.component';
import { ConditionsComponent, type Condition, type ConditionWords } from './conditions.component';
import { sheetActions } from './sheet.actions';
import { sheetFeature } from './sheet.feature';
import { GIVEN } from '../shared/given';
import { FieldComponent } from '../shared/form/field.component';

type Patch = Partial<Pick<MappingDocument, 'name' | 'purpose' | 'source' | 'write' | 'skips' | 'checks'>>;
type Write = MappingDocument['write'];
type Skip = MappingDocument['skips'][number];
const FILL = 'upsert, fill empty';
/** Ways of writing: the modes, and of upsert the one that leaves alone what has a value. */
const WAYS = [
  ...(['insert', 'upsert'] as const).map((mode) => [mode, `${mode}: ${WRITE_WORDS[mode]}`] as const),
  [FILL, $localize`fill empty: of what exists by the key, only empty fields; added where not`] as const,
  ...(['update', 'skip existing', 'new revision', 'replace'] as const).map(
    (mode) => [mode, `${mode}: ${WRITE_WORDS[mode]}`] as const,
  ),
];

/** What the template says in one case or another. */
const PHRASES = {
  noneMarkAField: $localize`none; mark a field as key in its line`,
};

/** What concerns the document as a whole: its name, which records, how they are written, skips and checks. */
@Component({
  selector: 'vs-document-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ConditionsComponent, FieldComponent, GIVEN, FormsModule, SELECT, RuleEditorComponent, KeyMapComponent],
  templateUrl: './document-panel.component.html',
  styleUrl: './document-panel.component.less',
})
export class DocumentPanelComponent {
  protected readonly phrases = PHRASES;
  readonly mapping = input.required<string>();
  readonly document = input.required<MappingDocument>();
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly trial = this.store.selectSignal(sheetFeature.selectTrial);
  private readonly samples = this.store.selectSignal(sheetFeature.selectSamples);
  protected readonly ways = WAYS;
  protected readonly skipWords: ConditionWords = {
    one: $localize`Skip condition`,
    add: $localize`Add a skip condition`,
    says: $localize`Reason of`,
    hint: $localize`why such records are left out`,
  };
  protected readonly mappedWords: ConditionWords = {
    one: $localize`Skip of the finished record`,
    add: $localize`Add a skip of the finished record`,
    says: $localize`Reason of`,
    hint: $localize`why such records are not sent`,
  };
  protected readonly checkWords: ConditionWords = {
    one: $localize`Check`,
    add: $localize`Add a check`,
    says: $localize`Said where it is not met:`,
    hint: $localize`what is wrong when it is not met`,
  };
  protected readonly skips = computed(() => skipsOf(this.document(), undefined));
  protected readonly mappedSkips = computed(() => skipsOf(this.document(), 'mapped'));
  protected readonly checks = computed(() =>
    this.document().checks.map((c): Condition => ({ id: c.id, rule: c.rule, says: c.message })),
  );
  protected readonly marksOf = (id: string): readonly Mark[] => this.marks(id);
  protected readonly problemOf = (id: string): string | null => this.problem(id) ?? null;
  protected readonly freeSkipId = (more: readonly string[]): string => this.freeId('s', more);
  protected readonly freeCheckId = (more: readonly string[]): string => this.freeId('c', more);
  protected readonly sourceFields = computed(() =>
    (this.samples().value?.fields ?? []).map((name) => ({
      name: sourceFieldText(this.document(), name),
      detail: '',
    })),
  );
  protected readonly targetFields = computed(() =>
    this.document().target.fields.map((f) => ({ name: f.name, detail: f.type })),
  );
  protected readonly general = computed(() =>
    (this.trial()?.problems ?? []).filter((p) => !p.line && p.path !== 'source.filter'),
  );

  protected problem(at: string): string | null {
    return this.trial()?.problems.find((p) => p.path === at || p.line === at)?.message ?? null;
  }
  protected marks(at: string): Mark[] {
    return (this.trial()?.problems ?? [])
      .filter((p) => (p.path === at || p.line === at) && p.at !== undefined)
      .map((p) => ({ at: p.at!, end: p.end ?? p.at! + 1, message: p.message }));
  }
  protected wayOf({ mode, existing }: Write): string {
    return mode === 'upsert' && existing === 'fill empty' ? FILL : mode;
  }
  protected setWay(way: string): void {
    const write: Write =
      way === FILL
        ? { mode: 'upsert', existing: 'fill empty' }
        : way === 'upsert'
          ? { mode: 'upsert', existing: 'overwrite' }
          : { mode: way as Write['mode'] };
    this.set({ write }, 'mode');
  }
  protected set(patch: Patch, merge: string): void {
    this.store.dispatch(
      sheetActions.edited({ document: { ...this.document(), ...patch }, merge: `document ${merge}` }),
    );
  }
  protected setName(name: string): void {
    if (name.trim()) this.set({ name: name.trim() }, 'name');
  }
  protected setFilter(text: string): void {
    this.set({ source: { ...this.document().source, filter: text.trim() === '' ? undefined : text } }, 'filter');
  }
  protected keepStarter(event: Event, name: string): void {
    event.preventDefault();
    const say = (text: string, problem: boolean): void => this.store.dispatch(frameActions.say({ text, problem }));
    if (name.trim() === '') return say($localize`Give the starter a name.`, true);
    this.api.call('keepStarter', { body: { mapping: this.mapping(), name: name.trim() } }).subscribe({
      next: () => say($localize`Kept; a new mapping can begin with it.`, false),
      error: (error: ServerProblem) => say(error.message, true),
    });
  }
  protected keepSkip({ id, rule, says }: Condition, at?: Skip['at']): void {
    const { skips } = this.document();
    const skip = { id, when: rule, reason: says, ...(at ? { at } : {}) };
    const isThere = skips.some((s) => s.id === id);
    this.set({ skips: isThere ? skips.map((s) => (s.id === id ? skip : s)) : [...skips, skip] }, `skip ${id}`);
  }
  protected keepCheck({ id, rule, says }: Condition): void {
    const { checks } = this.document();
    const before = checks.find((c) => c.id === id);
    const check = { id, rule, message: says, onFail: before?.onFail ?? 'reject' };
    this.set({ checks: before ? checks.map((c) => (c.id === id ? check : c)) : [...checks, check] }, `check ${id}`);
  }
  protected removeSkip(id: string): void {
    this.set({ skips: this.document().skips.filter((s) => s.id !== id) }, `remove ${id}`);
  }
  protected removeCheck(id: string): void {
    this.set({ checks: this.document().checks.filter((c) => c.id !== id) }, `remove ${id}`);
  }
  private freeId(letter: string, more: readonly string[]): string {
    const { skips, checks, lines } = this.document();
    const taken = new Set([...[...skips, ...checks, ...lines].map((x) => x.id), ...more]);
    let n = 1;
    while (taken.has(`${letter}${String(n).padStart(2, '0')}`)) n++;
    return `${letter}${String(n).padStart(2, '0')}`;
  }
}

const skipsOf = ({ skips }: MappingDocument, at: Skip['at']): Condition[] =>
  skips.filter((s) => s.at === at).map((s) => ({ id: s.id, rule: s.when, says: s.reason }));
