import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { CodeTable, TableUse } from '@versicle/contract';
import type { Code } from '@versicle/core';
import { catchError, map, of } from 'rxjs';
import { frameActions } from '../frame/frame.feature';
import { Api } from '../shared/api';
import { chosenFile } from '../shared/chosen-file';
import { LoadingComponent } from '../shared/loading.component';
import { figure, FigurePipe, inWords, TimePipe } from '../shared/words';
import { codesActions, codesFeature, type CodeTablePatch } from './codes.feature';

const PARTS: readonly [part: 'to' | 'meaning' | 'validFrom' | 'validTo', label: string, help: string][] = [
  ['to', 'To code', ''],
  ['meaning', 'Meaning', ''],
  ['validFrom', 'Valid from', 'a day such as 2026-08-03'],
  ['validTo', 'Valid to', 'a day such as 2026-08-03'],
];
const SHOWN = 200;

/** One code table: its codes, what runs lack of it, and the mappings that have a copy. Changes are saved at once. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, LoadingComponent, FigurePipe, TimePipe],
  templateUrl: './code-table.page.html',
  styleUrl: './code-table.page.less',
})
export class CodeTablePage {
  readonly name = input.required<string>();
  private readonly store = inject(Store);
  protected readonly parts = PARTS;
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
        map((all) => all.filter((s) => s.connection.kind === 'http').map((s) => s.id)),
        catchError(() => of<string[]>([])),
      ),
    { initialValue: [] as string[] },
  );
  protected readonly found = computed(() => {
    const words = this.search().toLowerCase();
    return (this.table()?.codes ?? [])
      .map((code, at) => ({ code, at }))
      .filter(({ code }) => `${code.from} ${code.to} ${code.meaning ?? ''}`.toLowerCase().includes(words));
  });
  protected readonly shown = computed(() => this.found().slice(0, SHOWN));

  constructor() {
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
      failed > 0 ? `${inWords(failed, 'record')} failed` : '',
      remarks > 0 ? `${inWords(remarks, 'record')} went on without` : '',
    ].filter(Boolean);
    return `${parts.join(', ')} in`;
  }
  protected useWords({ lines, same, lacks, more, differs }: TableUse): string {
    const where =
      lines.length === 0 ? 'no line uses it' : `${lines.length === 1 ? 'line' : 'lines'} ${lines.join(', ')}`;
    if (same) return `${where}; its copy is the same`;
    const parts = [
      lacks > 0 ? `lacks ${inWords(lacks, 'code')}` : '',
      more > 0 ? `has ${inWords(more, 'code that is', 'codes that are')} not here` : '',
      differs > 0 ? `has ${inWords(differs, 'other value')}` : '',
    ].filter(Boolean);
    return `${where}; its copy ${parts.join(', ')}`;
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
    if (to.trim() === '') return this.say(`Say what “${from}” becomes.`, true);
    const others = this.table()!.codes.filter((c) => c.from !== from);
    this.save({ codes: [...others, codeOf(from, to, meaning)] });
  }
  protected add(event: Event, ...[from, to, meaning]: HTMLInputElement[]): void {
    event.preventDefault();
    if (this.inTable(from!.value)) return this.say(`The code “${from!.value}” is in the table already.`, true);
    this.save({ codes: [codeOf(from!.value, to!.value, meaning!.value), ...this.table()!.codes] });
    for (const box of [from, to, meaning]) box!.value = '';
    from!.focus();
  }
  protected change(at: number, part: (typeof PARTS)[number][0], text: string): void {
    if ((part === 'validFrom' || part === 'validTo') && !/^(\d{4}-\d{2}-\d{2})?$/.test(text))
      return this.say(`“${text}” is no day such as 2026-08-03.`, true);
    const codes = this.table()!.codes.map((c, i) => {
      if (i !== at) return c;
      const { [part]: _, ...rest } = c;
      return (text === '' && part !== 'to' ? rest : { ...c, [part]: text }) as Code;
    });
    this.save({ codes });
  }
  protected remove(at: number): void {
    this.save({ codes: this.table()!.codes.filter((_, i) => i !== at) });
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
    this.say('The draft has the table’s codes now; publish it, then send its failed records again.');
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
    this.say(`${figure(codes.length)} codes taken from ${this.file()!.name}.`);
  }
  protected dropFile(): void {
    this.store.dispatch(codesActions.fileDropped());
  }
}

function codeOf(from: string, to: string, meaning: string): Code {
  return { from, to: to.trim(), ...(meaning.trim() === '' ? {} : { meaning: meaning.trim() }) };
}
