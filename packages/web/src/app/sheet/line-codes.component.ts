import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { changeLine, sourceFieldText, type Code, type Line, type MappingDocument } from '@versicle/core';
import { firstValueFrom } from 'rxjs';
import { Api } from '../shared/api';
import { chosenFile } from '../shared/chosen-file';
import { FigurePipe } from '../shared/words';
import { codeBlock, givenWords, lackingCodes, withCodes } from './line-codes';
import { sheetActions } from './sheet.actions';
import { sheetFeature } from './sheet.feature';

/** Codes that are offered to be filled in at once. */
const OFFERED = 12;

/** What the template says in one case or another. */
const PHRASES = {
  thereIsNoCode: $localize`There is no code table of that name yet.`,
  thisLineHasNo: $localize`This line has no code table yet.`,
  code: $localize`code`,
  codes: $localize`codes`,
  is: $localize`is`,
  are: $localize`are`,
  what: $localize`What `,
  becomes: $localize` becomes`,
};

/** Under a line that translates codes: the table is made, and what it lacks is filled in, pasted or read from a file. */
@Component({
  selector: 'vs-line-codes',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FigurePipe],
  template: `
    @if (!made()) {
      <form class="make" (submit)="$event.preventDefault(); make(called.value)">
        <label
          >{{ line().codeTable ? phrases.thereIsNoCode : phrases.thisLineHasNo }}
          <input
            #called
            class="input"
            aria-label="Name of the code table"
            i18n-aria-label
            [value]="line().codeTable ?? line().target"
        /></label>
        <button i18n type="submit" class="btn">Make the table</button>
      </form>
    } @else {
      @if (lacking().length > 0) {
        <p i18n class="soft">
          {{ lacking().length | figure }} {{ lacking().length === 1 ? phrases.code : phrases.codes }} of the sample
          records {{ lacking().length === 1 ? phrases.is : phrases.are }} not in <code>{{ line().codeTable }}</code>:
        </p>
        <ul>
          @for (l of lacking().slice(0, offered); track l.code) {
            <li>
              <code>{{ l.code }}</code>
              <span aria-hidden="true">→</span>
              <input
                #to
                class="input mono"
                [attr.aria-label]="phrases.what + l.code + phrases.becomes"
                (change)="to.value.trim() && give([{ from: l.code, to: to.value.trim() }])"
              />
              <span class="dim">{{ l.records | figure }}×</span>
            </li>
          }
        </ul>
        @if (lacking().length > offered) {
          <p i18n class="dim">and {{ lacking().length - offered | figure }} more</p>
        }
      }
      <details>
        <summary i18n>Paste codes, or read them from a file</summary>
        <textarea
          #block
          class="input mono"
          rows="3"
          aria-label="Codes from a spreadsheet: from, to, meaning"
          i18n-aria-label
          placeholder="from, to and meaning; copied from a spreadsheet, or with commas between"
          i18n-placeholder
        ></textarea>
        <button i18n type="button" class="btn" (click)="take(block.value); block.value = ''">Take these codes</button>
        <input
          #file
          type="file"
          accept=".csv,.tsv,.txt,.xlsx"
          aria-label="File with codes: a heading, then from, to and meaning"
          i18n-aria-label
          (change)="readFile(file)"
        />
      </details>
      @if (said()) {
        <p role="status" [class.rub]="wrong()">{{ said() }}</p>
      }
    }
  `,
  styles: `
    :host {
      display: block;
      margin: 6px 0 10px;
    }
    .make label .input {
      display: inline-block;
      width: 180px;
      margin: 0 8px;
    }
    ul {
      list-style: none;
      display: flex;
      flex-wrap: wrap;
      gap: 4px 20px;
      margin: 4px 0 6px;
      padding: 0;
    }
    li .input {
      width: 110px;
      padding: 1px 7px;
    }
    summary {
      color: var(--act);
      font-weight: 600;
      cursor: pointer;
    }
    textarea {
      display: block;
      max-width: 520px;
      margin: 6px 0;
    }
    .btn {
      margin-right: 10px;
    }
  `,
})
export class LineCodesComponent {
  protected readonly phrases = PHRASES;
  readonly document = input.required<MappingDocument>();
  readonly line = input.required<Line>();
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly samples = this.store.selectSignal(sheetFeature.selectSamples);
  private readonly rows = this.store.selectSignal(sheetFeature.selectSampleRows);
  protected readonly offered = OFFERED;
  protected readonly made = computed(() => Object.hasOwn(this.document().codeTables, this.line().codeTable ?? ''));
  protected readonly lacking = computed(() => {
    const at = (this.samples().value?.fields ?? []).findIndex(
      (name) => sourceFieldText(this.document(), name) === this.line().source || name === this.line().source,
    );
    const table = this.line().codeTable;
    if (at < 0 || !table) return [];
    return lackingCodes(
      this.document(),
      table,
      this.rows().map((row) => row.values[at] ?? null),
    );
  });
  protected readonly said = linkedSignal({ source: () => this.line().id, computation: () => '' });
  protected readonly wrong = signal(false);

  private edit(document: MappingDocument): void {
    this.store.dispatch(sheetActions.edited({ document, merge: null }));
  }
  protected make(text: string): void {
    const name = text.trim();
    if (name === '') return;
    const { document } = withCodes(this.document(), name, []);
    this.edit(changeLine(document, this.line().id, { codeTable: name }));
  }
  protected give(codes: readonly Code[], left: readonly string[] = []): void {
    const given = withCodes(this.document(), this.line().codeTable!, codes);
    if (given.taken > 0) this.edit(given.document);
    this.wrong.set(given.taken < codes.length || left.length > 0);
    this.said.set(givenWords(given, left));
  }
  protected take(text: string): void {
    const { codes, left } = codeBlock(text);
    this.give(codes, left);
  }
  /** Read by the server, as all files of codes are: whatever its encoding, as text or as a workbook. */
  protected async readFile(box: HTMLInputElement): Promise<void> {
    try {
      const file = await chosenFile(box);
      if (file === null) return;
      const body = { fileName: file.name, content: file.content, beside: null };
      const { codes, twice } = await firstValueFrom(this.api.call('readCodes', { body }));
      this.give(codes);
      if (twice.length > 0)
        this.said.update((said) => $localize`${said} In the file twice, the first one counts: ${twice.join(' · ')}.`);
    } catch (error) {
      this.wrong.set(true);
      this.said.set((error as Error).message);
    }
  }
}
