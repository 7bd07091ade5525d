import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { CrumbsComponent } from '../shared/crumbs.component';
import type { ForeignRead, ForeignSheet } from '@versicle/contract';
import { FOREIGN_PARTS, type ForeignPart } from '@versicle/core';
import { catchError, map, of } from 'rxjs';
import { mappingsActions } from '../mappings/mappings.feature';
import { allDatasets, datasetNames } from '../shared/all-datasets';
import { Api, type ServerProblem } from '../shared/api';
import { chosenFile } from '../shared/chosen-file';
import { SELECT } from '../shared/select';
import { SignComponent } from '../shared/signs.component';
import { FigurePipe, inWords } from '../shared/words';
import { GIVEN } from '../shared/given';

const SHOWN = 14;

/** What the template says in one case or another. */
const PHRASES = {
  mappings: $localize`Mappings`,
  newMapping: $localize`New mapping`,
  anotherFile: $localize`Another file …`,
  chooseTheFile: $localize`Choose the file …`,
  rows: $localize` rows`,
  asTheLastTime: $localize`, as the last time`,
  whatColumn: $localize`What column `,
  means: $localize` means`,
  toMap: $localize`to map`,
};

/** A mapping spreadsheet that others laid out: which sheet, which header row, what each column means; then the document. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [GIVEN, CrumbsComponent, FormsModule, SELECT, SignComponent, FigurePipe],
  templateUrl: './foreign.page.html',
  styleUrl: './foreign.page.less',
})
export class ForeignPage {
  protected readonly phrases = PHRASES;
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly parts = FOREIGN_PARTS.filter(
    (p) => !p.startsWith('code f') && !p.startsWith('code t') && p !== 'code meaning' && p !== 'code list',
  );
  protected readonly codeParts = FOREIGN_PARTS.filter((p) => /^code (list|from|to|meaning)$/.test(p));
  protected readonly file = signal<{ name: string; content: string } | null>(null);
  protected readonly sheets = signal<readonly ForeignSheet[]>([]);
  protected readonly chosen = signal<string | null>(null);
  protected readonly headerRow = signal(0);
  protected readonly columns = signal<readonly (ForeignPart | null)[]>([]);
  protected readonly withCodes = signal<readonly string[]>([]);
  protected readonly targetTable = signal<string | null>(null);
  protected readonly source = signal<string | null>(null);
  protected readonly target = signal('');
  protected readonly name = signal('');
  protected readonly problem = signal('');
  protected readonly busy = signal('');
  protected readonly read = signal<ForeignRead | null>(null);
  protected readonly datasets = toSignal(
    allDatasets(this.api).pipe(
      map(datasetNames),
      catchError(() => of<string[]>([])),
    ),
    { initialValue: [] as string[] },
  );
  protected readonly sheet = computed(() => this.sheets().find((s) => s.name === this.chosen()) ?? null);
  protected readonly codeSheets = computed(() => this.sheets().filter((s) => s.holds === 'codes'));
  protected readonly shownRows = computed(() => {
    const sheet = this.sheet();
    if (!sheet) return [];
    return sheet.rows
      .slice(0, Math.max(SHOWN, this.headerRow() + 6))
      .map((cells, i) => ({ number: i + 1, cells, header: i === this.headerRow() }));
  });
  protected readonly width = computed(() =>
    Math.max(this.columns().length, ...this.shownRows().map((r) => r.cells.length)),
  );
  protected readonly places = computed(() => Array.from({ length: this.width() }, (_, i) => i));
  protected readonly matched = computed(() => this.columns().filter((c) => c !== null).length);
  protected readonly readWords = computed(() => {
    const read = this.read();
    if (!read) return '';
    const { understood, toMap, left } = read;
    return $localize`${inWords(understood, $localize`line`, $localize`lines`)} understood, ${inWords(toMap, $localize`line is`, $localize`lines are`)} to map and ${toMap === 1 ? $localize`keeps its` : $localize`keep their`} text as a note${left.length > 0 ? $localize`; ${inWords(left.length, $localize`text`, $localize`texts`)} outside the rows ${left.length === 1 ? $localize`stands` : $localize`stand`} in the purpose` : ''}.`;
  });

  protected async take(box: HTMLInputElement): Promise<void> {
    try {
      const file = await chosenFile(box);
      if (file) this.look(file.name, file.content);
    } catch (error) {
      this.problem.set((error as Error).message);
    }
  }
  private look(name: string, content: string): void {
    this.busy.set($localize`Looking at ${name} …`);
    this.problem.set('');
    this.read.set(null);
    this.api.call('lookAtForeign', { body: { fileName: name, content } }).subscribe({
      next: ({ sheets }) => {
        this.busy.set('');
        this.file.set({ name, content });
        this.sheets.set(sheets);
        this.choose((sheets.find((s) => s.holds === 'lines') ?? sheets[0]!).name);
        this.withCodes.set(sheets.filter((s) => s.holds === 'codes').map((s) => s.name));
        if (this.name() === '') this.name.set(name.replace(/\.\w+$/, '').replace(/[-_]+/g, ' '));
      },
      error: (error: ServerProblem) => {
        this.busy.set('');
        this.problem.set(error.message);
      },
    });
  }
  protected choose(name: string): void {
    const sheet = this.sheets().find((s) => s.name === name)!;
    this.chosen.set(name);
    this.headerRow.set(sheet.headerRow);
    this.columns.set(sheet.columns);
    this.targetTable.set(sheet.targets[0] ?? null);
    this.read.set(null);
  }
  protected setHeader(row: number): void {
    if (Number.isInteger(row) && row >= 1) this.headerRow.set(row - 1);
    this.read.set(null);
  }
  protected match(at: number, part: ForeignPart | null): void {
    // A meaning belongs to one column.
    this.columns.set(
      this.places().map((i) => (i === at ? part : this.columns()[i] === part ? null : (this.columns()[i] ?? null))),
    );
    this.read.set(null);
  }
  protected useCodes(name: string, use: boolean): void {
    this.withCodes.update((names) => (use ? [...names, name] : names.filter((n) => n !== name)));
    this.read.set(null);
  }

  protected readIt(): void {
    const [file, sheet, source] = [this.file(), this.sheet(), this.source()];
    if (!file || !sheet) return;
    if (!source)
      return this.problem.set(
        $localize`Choose the dataset that the records come from; its fields are looked for in the sheet.`,
      );
    if (!/^[^/]+\/.+/.test(this.target().trim()))
      return this.problem.set($localize`Name the target as system/dataset.`);
    if (this.name().trim() === '') return this.problem.set($localize`Give the mapping a name.`);
    this.problem.set('');
    this.busy.set($localize`Reading the sheet …`);
    const codes = this.codeSheets()
      .filter((s) => this.withCodes().includes(s.name))
      .map((s) => ({ sheet: s.name, headerRow: s.headerRow, columns: s.columns }));
    const lines = {
      sheet: sheet.name,
      headerRow: this.headerRow(),
      columns: this.places().map((i) => this.columns()[i] ?? null),
    };
    this.api
      .call('readForeign', {
        body: {
          fileName: file.name,
          content: file.content,
          name: this.name().trim(),
          lines,
          codes,
          source,
          target: this.target().trim(),
          targetTable: this.targetTable(),
        },
      })
      .subscribe({
        next: (read) => {
          this.busy.set('');
          this.read.set(read);
        },
        error: (error: ServerProblem) => {
          this.busy.set('');
          this.problem.set(error.message);
        },
      });
  }
  protected begin(): void {
    this.store.dispatch(mappingsActions.create({ document: this.read()!.document }));
  }
  protected how(line: ForeignRead['document']['lines'][number]): string {
    if (line.kind === undefined) return line.note ?? '';
    return line.rule ?? line.source ?? (line.value === undefined ? line.kind : String(line.value));
  }
}
