import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { sourceFieldText, type MappingDocument } from '@versicle/core';
import { frameActions } from '../frame/frame.feature';
import { KeyMapComponent } from '../key-maps/key-map.component';
import { Api, type ServerProblem } from '../shared/api';
import { SELECT } from '../shared/select';
import { RuleEditorComponent, type Mark } from './rule-editor.component';
import { sheetActions, sheetFeature } from './sheet.feature';
import { GIVEN } from '../shared/given';
import { FieldComponent } from '../shared/form/field.component';

type Patch = Partial<Pick<MappingDocument, 'name' | 'purpose' | 'source' | 'write' | 'skips' | 'checks'>>;
const MODES: readonly [value: MappingDocument['write']['mode'], words: string][] = [
  ['insert', 'insert: every record is new'],
  ['upsert', 'upsert: by the key, new or overwritten'],
  ['skip existing', 'skip existing: by the key, only what is not there'],
  ['replace', 'replace: empty the table first'],
];

/** What concerns the document as a whole: its name, which records, how they are written, skips and checks. */
@Component({
  selector: 'vs-document-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, GIVEN, FormsModule, SELECT, RuleEditorComponent, KeyMapComponent],
  templateUrl: './document-panel.component.html',
  styleUrl: './document-panel.component.less',
})
export class DocumentPanelComponent {
  readonly mapping = input.required<string>();
  readonly document = input.required<MappingDocument>();
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly trial = this.store.selectSignal(sheetFeature.selectTrial);
  private readonly samples = this.store.selectSignal(sheetFeature.selectSamples);
  protected readonly modes = MODES;
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
  protected setSkip(id: string, patch: Partial<MappingDocument['skips'][number]>): void {
    this.set({ skips: this.document().skips.map((s) => (s.id === id ? { ...s, ...patch } : s)) }, `skip ${id}`);
  }
  protected setCheck(id: string, patch: Partial<MappingDocument['checks'][number]>): void {
    this.set({ checks: this.document().checks.map((c) => (c.id === id ? { ...c, ...patch } : c)) }, `check ${id}`);
  }
  protected keepStarter(event: Event, name: string): void {
    event.preventDefault();
    const say = (text: string, problem: boolean): void => this.store.dispatch(frameActions.say({ text, problem }));
    if (name.trim() === '') return say('Give the starter a name.', true);
    this.api.call('keepStarter', { body: { mapping: this.mapping(), name: name.trim() } }).subscribe({
      next: () => say('Kept; a new mapping can begin with it.', false),
      error: (error: ServerProblem) => say(error.message, true),
    });
  }
  protected addSkip(): void {
    this.set(
      {
        skips: [
          ...this.document().skips,
          { id: this.freeId('s'), when: 'FALSE', reason: 'Say why such records are left out' },
        ],
      },
      'add skip',
    );
  }
  protected addCheck(): void {
    this.set(
      {
        checks: [
          ...this.document().checks,
          { id: this.freeId('c'), rule: 'TRUE', message: 'Say what is wrong when it is not met', onFail: 'reject' },
        ],
      },
      'add check',
    );
  }
  protected removeSkip(id: string): void {
    this.set({ skips: this.document().skips.filter((s) => s.id !== id) }, `remove ${id}`);
  }
  protected removeCheck(id: string): void {
    this.set({ checks: this.document().checks.filter((c) => c.id !== id) }, `remove ${id}`);
  }
  private freeId(letter: string): string {
    const taken = new Set(
      [...this.document().skips, ...this.document().checks, ...this.document().lines].map((x) => x.id),
    );
    let n = 1;
    while (taken.has(`${letter}${String(n).padStart(2, '0')}`)) n++;
    return `${letter}${String(n).padStart(2, '0')}`;
  }
}
