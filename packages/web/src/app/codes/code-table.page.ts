import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { pageTitle } from '../shared/page-title';
import { CrumbsComponent } from '../shared/crumbs.component';
import type { CodeTable, TableUse } from '@versicle/contract';
import { doubledCodes } from '@versicle/core';
import { catchError, map, of } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { Api } from '../shared/api';
import { chosenFile } from '../shared/chosen-file';
import { LoadingComponent } from '../shared/loading.component';
import { figure, FigurePipe, inWords, TimePipe } from '../shared/words';
import { codeOf, CodeRowsComponent } from './code-rows.component';
import { codesActions, codesFeature, type CodeTablePatch } from './codes.feature';
import { GIVEN } from '../shared/given';

/** What the template says in one case or another. */
const PHRASES = {
  codeTables: $localize`Code tables`,
  what: $localize`What `,
  becomes: $localize` becomes`,
  meaningOf: $localize`Meaning of `,
  changeIt: $localize`Change it`,
  setItDown: $localize`Set it down`,
};

/** One code table: its codes, what runs lack of it, and the mappings that have a copy. Changes are saved at once. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [GIVEN, CrumbsComponent, RouterLink, LoadingComponent, CodeRowsComponent, FigurePipe, TimePipe],
  templateUrl: './code-table.page.html',
  styleUrl: './code-table.page.less',
})
export class CodeTablePage {
  protected readonly phrases = PHRASES;
  readonly name = input.required<string>();
  private readonly store = inject(Store);
  protected readonly loading = this.store.selectSignal(codesFeature.selectTable);
  protected readonly table = computed(() => this.loading().value);
  protected readonly file = this.store.selectSignal(codesFeature.selectFile);
  protected readonly refused = this.store.selectSignal(codesFeature.selectRefused);
  private readonly answers = this.store.selectSignal(codesFeature.selectAnswers);
  protected readonly address = computed(() => encodeURIComponent(this.name()));
  protected readonly search = signal('');
  protected readonly removing = signal(false);
  protected readonly systems = toSignal(
    inject(Api)
      .call('listSystems', {})
      .pipe(
        map((all) => all.filter((s) => s.facts.asks).map((s) => s.id)),
        catchError(() => of<string[]>([])),
      ),
    { initialValue: [] as string[] },
  );
  constructor() {
    pageTitle(() => this.name());
    effect(() => {
      this.name();
      untracked(() => this.open());
    });
  }
  protected open(): void {
    this.store.dispatch(codesActions.opened({ name: this.name() }));
  }
  protected save(patch: CodeTablePatch): void {
    this.store.dispatch(codesActions.save({ patch }));
  }
  private say(text: string, problem = false): void {
    this.store.dispatch(frameActions.say({ text, problem }));
  }

  protected missingWords({ failed, remarks }: CodeTable['missing'][number]): string {
    const parts = [
      failed > 0 ? $localize`${inWords(failed, $localize`record`, $localize`records`)} failed` : '',
      remarks > 0 ? $localize`${inWords(remarks, $localize`record`, $localize`records`)} went on without it` : '',
    ].filter(Boolean);
    return $localize`${parts.join(', ')} in`;
  }
  protected useWords({ lines, same, lacks, more, differs }: TableUse): string {
    const where =
      lines.length === 0
        ? $localize`no line uses it`
        : `${lines.length === 1 ? $localize`line` : $localize`lines`} ${lines.join(', ')}`;
    if (same) return $localize`${where}; its copy is the same`;
    const parts = [
      lacks > 0 ? $localize`lacks ${inWords(lacks, $localize`code`, $localize`codes`)}` : '',
      more > 0 ? $localize`has ${inWords(more, $localize`code that is`, $localize`codes that are`)} not here` : '',
      differs > 0 ? $localize`has ${inWords(differs, $localize`other value`, $localize`other values`)}` : '',
    ].filter(Boolean);
    return $localize`${where}; its copy ${parts.join(', ')}`;
  }
  protected answer(from: string): { to: string | null; problem: string | null } | undefined {
    return this.answers().find((a) => a.from === from);
  }
  protected inTable(from: string): boolean {
    return this.table()!.codes.some((c) => c.from === from);
  }
  protected askAll(): void {
    this.store.dispatch(codesActions.translate({ codes: this.table()!.missing.map((m) => m.from) }));
  }
  protected fill(event: Event, from: string, to: string, meaning: string): void {
    event.preventDefault();
    if (to.trim() === '') return this.say($localize`Say what “${from}” becomes.`, true);
    const code = codeOf(from, to, meaning);
    // What stands there for another time stays.
    const others = this.table()!.codes.filter((c) => doubledCodes([c, code]).length === 0);
    this.save({ codes: [...others, code] });
  }
  protected setOtherwise(on: boolean): void {
    this.save({ otherwise: on ? '' : null });
  }
  protected setService(event: Event, system: string, path: string, to: string): void {
    event.preventDefault();
    this.save({ translation: { system: system.trim(), path: path.trim(), to: to.trim() } });
  }
  protected bringUp(mappings: string[]): void {
    this.store.dispatch(codesActions.bringUp({ mappings }));
    this.say($localize`The draft has the table’s codes now; publish it, then send its failed records again.`);
  }
  protected removeTable(): void {
    this.store.dispatch(codesActions.remove());
  }

  protected async readFile(box: HTMLInputElement): Promise<void> {
    try {
      const file = await chosenFile(box);
      if (file) this.store.dispatch(codesActions.readFile({ fileName: file.name, content: file.content }));
    } catch (error) {
      this.say((error as Error).message, true);
    }
  }
  protected takeFile(replace: boolean): void {
    const { codes } = this.file()!.read;
    const now = new Set(codes.map((c) => c.from));
    const kept = replace ? [] : this.table()!.codes.filter((c) => !now.has(c.from));
    this.save({ codes: [...kept, ...codes] });
    this.say($localize`${figure(codes.length)} codes taken from ${this.file()!.name}.`);
  }
  protected dropFile(): void {
    this.store.dispatch(codesActions.fileDropped());
  }
}
