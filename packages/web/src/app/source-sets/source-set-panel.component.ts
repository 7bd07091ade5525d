import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import type { JoinFigures } from '@versicle/contract';
import { isComposed, membersOf, sourceSetKey, type MappingDocument, type Problem } from '@versicle/core';
import { SELECT } from '../shared/select';
import { SignComponent } from '../shared/signs.component';
import { figure, FigurePipe, inWords } from '../shared/words';
import { RuleEditorComponent, type Mark } from '../sheet/rule-editor.component';
import { sheetActions } from '../sheet/sheet.actions';
import { sheetFeature } from '../sheet/sheet.feature';
import { sourceSetActions, sourceSetsFeature } from './source-sets.feature';
import { RuleListComponent } from './rule-list.component';
import { UnionColumnsComponent } from './union-columns.component';
import { GIVEN } from '../shared/given';

type Source = MappingDocument['source'];
type Join = Source['joins'][number];
const KINDS: readonly [Join['kind'], string][] = [
  ['left', $localize`keep all, with a partner where there is one`],
  ['inner', $localize`keep those that find a partner`],
  ['right', $localize`keep all of this dataset`],
  ['full', $localize`keep all of both`],
];
const LISTS = [
  ['distinctOn', $localize`One record for each`, $localize`the first one stays`, $localize`no records are dropped`],
  [
    'groupBy',
    $localize`Group by`,
    $localize`lines may then use count(*), sum(…), string_agg(…) and others`,
    $localize`no grouping`,
  ],
  [
    'orderBy',
    $localize`Sort by`,
    $localize`DESC behind it turns the order round`,
    $localize`in the order of the first dataset`,
  ],
] as const;

/** What the template says in one case or another. */
const PHRASES = {
  aliasOf: $localize`Alias of `,
  how: $localize`How `,
  isJoined: $localize` is joined`,
  conditionOf: $localize`Condition of `,
  counting: $localize`Counting …`,
  countTheMatches: $localize`Count the matches`,
};

/** Which datasets a mapping reads: joined to the first one or below it, folded together, sorted; with what each join finds. */
@Component({
  selector: 'vs-source-set-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    GIVEN,
    FormsModule,
    SELECT,
    SignComponent,
    FigurePipe,
    RuleEditorComponent,
    RuleListComponent,
    UnionColumnsComponent,
  ],
  templateUrl: './source-set-panel.component.html',
  styleUrl: './source-set-panel.component.less',
})
export class SourceSetPanelComponent {
  protected readonly phrases = PHRASES;
  readonly mapping = input.required<string>();
  readonly document = input.required<MappingDocument>();
  readonly saved = input.required<boolean>();
  private readonly store = inject(Store);
  private readonly trial = this.store.selectSignal(sheetFeature.selectTrial);
  protected readonly samples = this.store.selectSignal(sheetFeature.selectSamples);
  protected readonly s = this.store.selectSignal(sourceSetsFeature.selectSourceSetsState);
  protected readonly kinds = KINDS;
  protected readonly lists = LISTS;
  protected readonly picked = signal<string | null>(null);

  protected readonly source = computed(() => this.document().source);
  protected readonly composed = computed(() => isComposed(this.document()));
  /** Fields of all members, also of those whose join is not sound yet. */
  protected readonly fields = computed(() =>
    membersOf(this.document())
      .filter((m) => m.role !== 'union')
      .flatMap((m) =>
        (this.s().members[m.dataset] ?? []).map((name) => ({ name: sourceText(m.alias, name), detail: m.dataset })),
      ),
  );
  protected readonly further = computed(() =>
    (this.s().datasets.value ?? []).filter((d) => d !== this.source().primary.dataset),
  );
  protected readonly figures = computed((): ReadonlyMap<string, JoinFigures> => {
    const { figures, countedKey } = this.s();
    if (countedKey !== sourceSetKey(this.document())) return new Map();
    return new Map((figures.value ?? []).map((f) => [f.alias, f]));
  });
  /** The columns that are shown of the first records; in a group, fields that differ have no value. */
  protected readonly shown = computed(() => {
    const { fields = [], rows = [] } = this.samples().value ?? {};
    const grouped = this.source().groupBy.length > 0;
    return fields.flatMap((name, at) =>
      grouped && rows.every((r) => (r.values[at] ?? null) === null) ? [] : [{ name, at }],
    );
  });
  protected readonly came = computed(() => {
    const composed = this.samples().value?.composed;
    if (!composed) return '';
    const parts = [
      $localize`${inWords(composed.read, $localize`row`, $localize`rows`)} read`,
      composed.multiplied > 0 ? $localize`${figure(composed.multiplied)} added by joins` : '',
      composed.unmatched > 0 ? $localize`${figure(composed.unmatched)} without a partner` : '',
      composed.filtered > 0 ? $localize`${figure(composed.filtered)} left out by the filter` : '',
      composed.folded > 0 ? $localize`${figure(composed.folded)} folded into others` : '',
    ].filter(Boolean);
    return `${parts.join(', ')}: ${inWords(composed.records, $localize`record`, $localize`records`)}.`;
  });

  constructor() {
    effect(() => {
      const mapping = this.mapping();
      const datasets = [...new Set(membersOf(this.document()).map((m) => m.dataset))];
      // Asked again when the set has other members, not with every other edit.
      untracked(() => this.ask(mapping, datasets));
    });
  }
  private asked = '';
  private ask(mapping: string, datasets: readonly string[]): void {
    const key = [mapping, ...datasets].join();
    if (this.asked === key) return;
    this.asked = key;
    this.store.dispatch(sourceSetActions.opened({ mapping, datasets }));
  }

  private problems(path: string): readonly Problem[] {
    return (this.trial()?.problems ?? []).filter(
      (p) => p.path === path || p.path === `${path}.alias` || p.path === `${path}.on`,
    );
  }
  protected problem(path: string): string | null {
    return this.problems(path)[0]?.message ?? null;
  }
  protected marks(path: string): Mark[] {
    return this.problems(path)
      .filter((p) => p.at !== undefined && (p.end ?? 0) > 0)
      .map((p) => ({ at: p.at!, end: p.end!, message: p.message }));
  }
  protected set(patch: Partial<Source>, merge: string | null): void {
    const document = { ...this.document(), source: { ...this.source(), ...patch } };
    this.store.dispatch(sheetActions.edited({ document, merge: merge === null ? null : `source ${merge}` }));
  }
  protected setJoin(at: number, patch: Partial<Join>): void {
    this.set({ joins: this.source().joins.map((j, i) => (i === at ? { ...j, ...patch } : j)) }, `join ${at}`);
  }
  protected removeJoin(at: number): void {
    this.set({ joins: this.source().joins.filter((_, i) => i !== at) }, null);
  }
  protected moveUp(at: number): void {
    const joins = [...this.source().joins];
    joins.splice(at - 1, 0, ...joins.splice(at, 1));
    this.set({ joins }, null);
  }
  protected setColumns(at: number, columns: Record<string, string>): void {
    this.set({ unions: this.source().unions.map((u, i) => (i === at ? { ...u, columns } : u)) }, `union ${at}`);
  }
  protected removeUnion(at: number): void {
    this.set({ unions: this.source().unions.filter((_, i) => i !== at) }, null);
  }

  protected problemsOf(list: (typeof LISTS)[number][0]): readonly Problem[] {
    return (this.trial()?.problems ?? []).filter((p) => p.path.startsWith(`source.${list}`));
  }
  protected setList(list: (typeof LISTS)[number][0], rules: string[]): void {
    this.set({ [list]: rules }, list);
  }

  protected choose(dataset: string): void {
    this.picked.set(dataset);
    this.store.dispatch(sourceSetActions.chosen({ dataset }));
  }
  protected drop(): void {
    this.picked.set(null);
    this.store.dispatch(sourceSetActions.choiceDropped());
  }
  /** `on`: a proposal, with :alias where the new dataset's alias goes. */
  protected join(on: string | null): void {
    const choice = this.s().choice.value!;
    const alias = this.freeAlias(choice.dataset);
    const own = choice.detail.fields.find((f) => f.key) ?? choice.detail.fields[0];
    const condition = on ?? `${sourceText(':alias', own?.name ?? 'field')} = ${this.source().primary.alias}.`;
    const typed = choice.detail.fields.filter((f) => f.type !== 'text');
    const structures =
      typed.length === 0
        ? this.source().structures
        : { ...this.source().structures, [alias]: choice.detail.fields.map(({ name, type }) => ({ name, type })) };
    const join: Join = { alias, dataset: choice.dataset, kind: 'left', on: condition.replaceAll(':alias', alias) };
    this.set({ joins: [...this.source().joins, join], structures }, null);
    this.drop();
  }
  protected putBelow(): void {
    const { dataset } = this.s().choice.value!;
    this.set({ unions: [...this.source().unions, { dataset, columns: {} }] }, null);
    this.drop();
  }
  private freeAlias(dataset: string): string {
    const taken = new Set(membersOf(this.document()).map((m) => m.alias));
    const name = dataset.slice(dataset.indexOf('/') + 1).toLowerCase();
    const first = /[a-z]/.exec(name)?.[0] ?? 't';
    let alias = first;
    for (let n = 2; taken.has(alias); n++) alias = `${first}${n}`;
    return alias;
  }
  protected count(): void {
    this.store.dispatch(sourceSetActions.count());
  }
  protected found(f: JoinFigures): string {
    if (f.tooMany)
      return $localize`Too many pairs to count: one record finds up to ${figure(f.most)} partners. A further field in the condition should tell them apart.`;
    const none = f.left - f.matched;
    const parts = [
      f.matched === f.left
        ? $localize`All ${figure(f.left)} records find a partner`
        : $localize`${figure(f.matched)} of ${figure(f.left)} records find a partner, ${figure(none)} ${none === 1 ? $localize`finds` : $localize`find`} none`,
      f.doubled === 0
        ? $localize`none finds more than one`
        : $localize`${figure(f.doubled)} find several (up to ${figure(f.most)}) and come out several times`,
      f.asked !== null
        ? $localize`${f.dataset} was asked only for the ${inWords(f.asked, $localize`key`, $localize`keys`)} that ${f.asked === 1 ? $localize`occurs` : $localize`occur`}`
        : f.unused === 0
          ? ''
          : $localize`${figure(f.unused)} of the ${figure(f.right)} records of ${f.dataset} ${f.unused === 1 ? $localize`is` : $localize`are`} asked for by nobody`,
    ].filter(Boolean);
    return `${parts.join('; ')}.`;
  }
  protected cut(text: string): string {
    return text.length > 40 ? `${text.slice(0, 40)} …` : text;
  }
  protected words(values: Readonly<Record<string, string | null>>): string {
    return Object.values(values)
      .map((v) => v ?? 'null')
      .join(' · ');
  }
}

function sourceText(alias: string, name: string): string {
  return `${alias}.${/^[a-z_][a-z0-9_]*$/.test(name) ? name : `"${name.replace(/"/g, '""')}"`}`;
}
