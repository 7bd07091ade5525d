import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import {
  addExample,
  changeExample,
  exampleName,
  exampleValues,
  expectationOf,
  removeExample,
  timestampOfMillis,
  type Example,
  type MappingDocument,
} from '@versicle/core';
import { SELECT } from '../shared/select';
import { SaidComponent } from '../shared/said.component';
import { SignComponent } from '../shared/signs.component';
import { inWords } from '../shared/words';
import { sheetActions } from './sheet.actions';
import { sheetFeature } from './sheet.feature';
import { FieldComponent } from '../shared/form/field.component';
import { GIVEN } from '../shared/given';

const OUTCOME_WORDS: Record<Example['expect']['outcome'], string> = {
  written: $localize`is delivered`,
  filtered: $localize`is left out by the filter`,
  skipped: $localize`is skipped`,
  failed: $localize`fails`,
};

/** What the template says in one case or another. */
const PHRASES = {
  example: $localize`example`,
  examples: $localize`examples`,
  example2: $localize`Example `,
  asExpected: $localize`as expected`,
  otherwise: $localize`otherwise`,
  expectWhatComesOut: $localize`Expect what comes out of `,
  now: $localize` now`,
  show: $localize`Show `,
  onTheSheet: $localize` on the sheet`,
  mustBe: $localize` must be`,
  fails: $localize`fails: `,
  anyValue: $localize`any value`,
};

/** Records that the document itself keeps, with what must come of them: tried at each edit, check and publication. */
@Component({
  selector: 'vs-examples-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, GIVEN, FormsModule, SELECT, SaidComponent, SignComponent],
  templateUrl: './examples-panel.component.html',
  styleUrl: './examples-panel.component.less',
})
export class ExamplesPanelComponent {
  protected readonly phrases = PHRASES;
  readonly document = input.required<MappingDocument>();
  /** An example was put on the sheet as its sample. */
  readonly shown = output();
  private readonly store = inject(Store);
  private readonly samples = this.store.selectSignal(sheetFeature.selectSamples);
  private readonly trial = this.store.selectSignal(sheetFeature.selectTrial);
  protected readonly open = signal<string | null>(null);
  protected readonly fields = computed(() => this.samples().value?.fields ?? []);
  protected readonly list = computed(() => {
    const results = new Map(this.trial()?.examples.map((r) => [r.id, r]));
    return (this.document().examples ?? []).map((example) => ({
      example,
      differences: results.get(example.id)?.differences ?? [],
      outcome: OUTCOME_WORDS[example.expect.outcome],
      label: this.fields()
        .map((f) => example.source[this.nameOf(example, f)] ?? null)
        .filter((v) => v !== null)
        .slice(0, 3)
        .join(' · '),
    }));
  });
  protected readonly wrong = computed(() => this.list().filter((e) => e.differences.length > 0).length);
  protected readonly summary = computed(() =>
    this.wrong() === 0
      ? $localize`All come out as expected.`
      : $localize`${inWords(this.wrong(), $localize`example comes`, $localize`examples come`)} out otherwise than expected.`,
  );
  protected readonly outcomes = Object.entries(OUTCOME_WORDS) as [Example['expect']['outcome'], string][];

  /** Every target field, with what the example expects of it; null where it expects nothing. */
  protected expected(
    example: Example,
  ): { name: string; label: string; line: string; value: string | null | undefined }[] {
    return this.document().target.fields.map((f) => ({
      name: f.name,
      label: f.label ?? f.name,
      line: this.document().lines.find((l) => l.target === f.name)?.id ?? '',
      value: Object.hasOwn(example.expect.values, f.name) ? example.expect.values[f.name] : undefined,
    }));
  }
  protected saidOf(differences: readonly { line: string | null; message: string }[], line: string): string | null {
    return differences.find((d) => d.line === line)?.message ?? null;
  }

  protected nameOf(example: Example, field: string): string {
    return exampleName(example, field, this.document().source.primary.alias) ?? field;
  }
  private give(document: MappingDocument, merge: string | null = null): void {
    this.store.dispatch(sheetActions.edited({ document, merge }));
  }
  protected setNote(id: string, note: string): void {
    this.give(changeExample(this.document(), id, { note: note === '' ? undefined : note }), `${id} note`);
  }
  /** An empty cell is null, as in files. */
  protected setSource(example: Example, field: string, text: string): void {
    const source = { ...example.source, [this.nameOf(example, field)]: text === '' ? null : text };
    this.give(changeExample(this.document(), example.id, { source }), `${example.id} ${field}`);
  }
  protected setExpected(example: Example, field: string, text: string): void {
    const { expect } = example;
    const values = { ...expect.values, [field]: text === '' ? null : text };
    this.give(changeExample(this.document(), example.id, { expect: { ...expect, values } }), `${example.id} =${field}`);
  }
  protected setCompared(example: Example, field: string, compared: boolean): void {
    const { expect } = example;
    const values = { ...expect.values };
    if (compared) values[field] = this.now(example)?.values[field] ?? null;
    else delete values[field];
    this.give(changeExample(this.document(), example.id, { expect: { ...expect, values } }));
  }
  protected setOutcome(example: Example, outcome: Example['expect']['outcome']): void {
    const expect = { ...example.expect, outcome };
    this.give(changeExample(this.document(), example.id, { expect }));
  }
  private now(example: Example): Example['expect'] | null {
    const samples = this.samples().value;
    if (!samples) return null;
    const ground = {
      document: this.document(),
      fields: samples.fields,
      marks: samples.marks,
      keyMaps: samples.keyMaps,
      variables: samples.variables,
      now: timestampOfMillis(Date.now()),
    };
    return expectationOf(
      ground,
      exampleValues(example, samples.fields, this.document().source.primary.alias),
      example.file ?? null,
    );
  }
  protected accept(example: Example): void {
    const expect = this.now(example);
    if (expect) this.give(changeExample(this.document(), example.id, { expect }));
  }
  protected add(): void {
    const source = Object.fromEntries(this.fields().map((f) => [f, null]));
    const document = addExample(this.document(), { source, expect: { outcome: 'written', values: {}, causes: {} } });
    this.give(document);
    this.open.set(document.examples!.at(-1)!.id);
  }
  protected remove(id: string): void {
    this.give(removeExample(this.document(), id));
  }
  protected toSheet(index: number): void {
    this.store.dispatch(sheetActions.sampleSetChosen({ from: 'examples', index }));
    this.shown.emit();
  }
}
