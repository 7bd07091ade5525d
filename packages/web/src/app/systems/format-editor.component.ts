import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import type { DatasetDetail, DatasetSetting } from '@versicle/contract';
import { DATE_PATTERNS, type Marks } from '@versicle/core';
import { SELECT } from '../shared/select';
import { RulerComponent } from './ruler.component';
import { systemsActions, systemsFeature } from './systems.feature';

type Format = Extract<DatasetSetting, { kind: 'format' }>['format'];

/** How a file is read, each choice correctable; the rows below follow at once. */
@Component({
  selector: 'vs-format-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, SELECT, RulerComponent],
  template: `
    @if (format(); as f) {
      <div class="grid">
        <div class="field">
          <span id="kind-label">Read as</span>
          <nz-select [ngModel]="f.kind" (ngModelChange)="turnInto($event)" aria-labelledby="kind-label">
            @for (k of kinds(); track k[0]) {
              <nz-option [nzValue]="k[0]" [nzLabel]="k[1]" />
            }
          </nz-select>
        </div>
        @if (f.kind !== 'xlsx') {
          <div class="field">
            <span id="encoding-label">Encoding</span>
            <nz-select
              [ngModel]="f.encoding"
              (ngModelChange)="set({ encoding: $event })"
              aria-labelledby="encoding-label"
            >
              @for (e of encodings; track e[0]) {
                <nz-option [nzValue]="e[0]" [nzLabel]="e[1]" />
              }
            </nz-select>
          </div>
        }
        @switch (f.kind) {
          @case ('delimited') {
            <div class="field">
              <span id="delimiter-label">Delimiter</span>
              <nz-select
                [ngModel]="f.delimiter"
                (ngModelChange)="set({ delimiter: $event })"
                aria-labelledby="delimiter-label"
              >
                @for (d of delimiters; track d[0]) {
                  <nz-option [nzValue]="d[0]" [nzLabel]="d[1]" />
                }
              </nz-select>
            </div>
            <div class="field">
              <span id="quote-label">Quotes</span>
              <nz-select [ngModel]="f.quote" (ngModelChange)="set({ quote: $event })" aria-labelledby="quote-label">
                <nz-option nzValue='"' nzLabel='" double' />
                <nz-option nzValue="'" nzLabel="' single" />
                <nz-option nzValue="" nzLabel="none" />
              </nz-select>
            </div>
          }
          @case ('xlsx') {
            <label class="field"
              ><span>Cells</span
              ><input
                #range
                class="input mono"
                [value]="f.range ?? ''"
                (change)="set({ range: range.value.trim() || null })"
                placeholder="all; such as B4:H200"
            /></label>
          }
          @case ('json') {
            <label class="field"
              ><span>Records at</span
              ><input
                #records
                class="input mono"
                [value]="f.records"
                (change)="relearn(records.value.trim())"
                placeholder="the top; such as data.items"
            /></label>
          }
          @case ('xml') {
            <label class="field"
              ><span>Records at</span
              ><input
                #element
                class="input mono"
                [value]="f.records"
                (change)="relearn(element.value.trim())"
                placeholder="such as repairs/order"
            /></label>
          }
        }
        @if (f.kind === 'delimited' || f.kind === 'xlsx' || f.kind === 'fixed') {
          <label class="field"
            ><span>Rows above to leave out</span
            ><input
              #skip
              class="input mono"
              inputmode="numeric"
              [value]="f.skipLines"
              (change)="set({ skipLines: whole(skip.value) })"
          /></label>
        }
        @if (f.kind === 'delimited' || f.kind === 'xlsx') {
          <label class="tick"
            ><input type="checkbox" [checked]="f.header" (change)="set({ header: !f.header })" /> the first row has the
            names</label
          >
        }
        @if (f.kind === 'xlsx') {
          <label class="tick"
            ><input type="checkbox" [checked]="f.mergedRepeat" (change)="set({ mergedRepeat: !f.mergedRepeat })" />
            repeat the value of merged cells</label
          >
        }
        @if (f.kind === 'delimited' || f.kind === 'fixed') {
          <div class="field">
            <span id="decimal-label">Decimal sign</span>
            <nz-select
              [ngModel]="f.marks?.decimal ?? '.'"
              (ngModelChange)="mark({ decimal: $event })"
              aria-labelledby="decimal-label"
            >
              <nz-option nzValue="." nzLabel="point 1204.50" />
              <nz-option nzValue="," nzLabel="comma 1204,50" />
            </nz-select>
          </div>
          <label class="field"
            ><span>Dates are written</span
            ><input
              #dates
              class="input mono"
              list="date-patterns"
              [value]="f.marks?.dates ?? ''"
              (change)="mark({ dates: dates.value.trim() || null })"
              placeholder="2026-08-03 (ISO)"
            />
            <datalist id="date-patterns">
              @for (p of datePatterns; track p) {
                <option [value]="p"></option>
              }
            </datalist>
          </label>
          <label class="tick"
            ><input type="checkbox" [checked]="f.emptyIsNull" (change)="set({ emptyIsNull: !f.emptyIsNull })" /> an
            empty cell is null</label
          >
        }
      </div>
      @if (f.kind === 'fixed') {
        <vs-ruler [columns]="f.columns" [lines]="lines()" (drawn)="set({ columns: $event })" />
      }
      @if (settling().problem; as problem) {
        <p class="rub" role="alert">{{ problem }} It is read as before.</p>
      }
      <p class="why" role="status">
        @if (settling().busy) {
          Reading it that way …
        } @else if (detail().settled) {
          Settled by a person.
          <button type="button" class="btn quiet" (click)="guessAgain()">Guess again</button>
        } @else {
          Guessed from the first bytes of {{ detail().files[0] }}: {{ detail().guessedFrom.join('; ') }}.
        }
      </p>
    }
  `,
  styles: `
    .grid {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(190px, 1fr));
      gap: 0 16px;
      align-items: end;
      padding-top: 12px;
    }
    nz-select {
      width: 100%;
    }
    .tick {
      align-self: center;
      padding-top: 6px;
    }
    .why {
      font: 14.4px/1.5 var(--serif);
      color: var(--ink-2);
      margin: 4px 0 10px;
    }
  `,
})
export class FormatEditorComponent {
  readonly id = input.required<string>();
  readonly detail = input.required<DatasetDetail>();
  /** Some lines of the file as they are, for the ruler. */
  readonly lines = input<readonly string[]>([]);
  private readonly store = inject(Store);
  protected readonly settling = this.store.selectSignal(systemsFeature.selectSettling);
  protected readonly encodings = [
    ['utf-8', 'UTF-8'],
    ['windows-1252', 'Windows-1252 (Western)'],
    ['iso-8859-15', 'ISO 8859-15 (Western, €)'],
    ['utf-16le', 'UTF-16, little-endian'],
    ['utf-16be', 'UTF-16, big-endian'],
  ] as const;
  protected readonly delimiters = [
    [';', 'semicolon ;'],
    [',', 'comma ,'],
    ['\t', 'tab'],
    ['|', 'vertical bar |'],
    ['^', 'caret ^'],
    ['~', 'tilde ~'],
  ] as const;
  protected readonly format = computed((): Format | null => {
    const setting = this.detail().setting;
    return setting?.kind === 'format' ? setting.format : null;
  });
  protected readonly kinds = computed((): (readonly [Format['kind'], string])[] => {
    const kind = this.format()?.kind;
    if (kind === 'xlsx') return [['xlsx', 'workbook']];
    const text = [
      ['delimited', 'delimited text'],
      ['fixed', 'fixed width'],
      ['jsonl', 'JSON Lines'],
    ] as const;
    if (kind === 'json') return [['json', 'JSON'], ...text];
    return kind === 'xml' ? [['xml', 'XML'], ...text] : [...text];
  });

  protected readonly datePatterns = DATE_PATTERNS.filter((p) => p !== 'YYYY-MM-DD');
  /** Text is still read as text; what a mapping takes as it is gets read by these marks. */
  protected mark(patch: Partial<Marks>): void {
    const format = this.format();
    const before = format && (format.kind === 'delimited' || format.kind === 'fixed') ? format.marks : undefined;
    const marks = { decimal: '.' as const, dates: null, ...before, ...patch };
    this.set({ marks: marks.decimal === '.' && marks.dates === null ? undefined : marks } as Partial<Format>);
  }
  protected whole(text: string): number {
    return Math.max(0, Math.trunc(Number(text)) || 0);
  }
  protected set(patch: Partial<Format>): void {
    const format = { ...this.format(), ...patch } as Format;
    this.store.dispatch(
      systemsActions.settle({ id: this.id(), dataset: this.detail().name, setting: { kind: 'format', format } }),
    );
  }
  /** What another kind needs starts with what is usual; the encoding stays. */
  protected turnInto(kind: Format['kind']): void {
    const before = this.format()!;
    if (kind === before.kind || before.kind === 'xlsx') return;
    const { encoding } = before;
    const fresh: Partial<Record<Format['kind'], Partial<Format>>> = {
      delimited: {
        kind,
        encoding,
        delimiter: ';',
        quote: '"',
        newline: '\n',
        skipLines: 0,
        header: true,
        emptyIsNull: true,
      },
      fixed: { kind, encoding, skipLines: 0, columns: [{ name: 'column_1', from: 1, width: 20 }], emptyIsNull: true },
      jsonl: { kind, encoding },
    };
    const format = fresh[kind];
    if (format)
      this.store.dispatch(
        systemsActions.settle({
          id: this.id(),
          dataset: this.detail().name,
          setting: { kind: 'format', format: format as Format },
        }),
      );
  }
  /** With other records comes another structure; the server learns it from the file. */
  protected relearn(records: string): void {
    this.set({ records, structures: [], part: '' });
  }
  protected guessAgain(): void {
    this.store.dispatch(systemsActions.unsettle({ id: this.id(), dataset: this.detail().name }));
  }
}
