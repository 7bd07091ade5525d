import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import type { MappingDocument } from '@versicle/core';
import { SELECT } from '../shared/select';
import { FigurePipe } from '../shared/words';
import { sheetActions } from './sheet.feature';

type Code = MappingDocument['codeTables'][string][number];

/** The code tables of the document: from-code, to-code, meaning. A missing code is added here. */
@Component({
  selector: 'vs-code-tables',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, SELECT, FigurePipe],
  template: `
    <div class="panel">
      <div class="bar">
        <nz-select
          [ngModel]="name()"
          (ngModelChange)="chosen.set($event)"
          nzPlaceHolder="no code table yet"
          aria-label="Code table"
          nzId="table"
        >
          @for (n of names(); track n) {
            <nz-option [nzValue]="n" [nzLabel]="n" />
          }
        </nz-select>
        <input
          class="input"
          type="search"
          aria-label="Find a code"
          placeholder="Find a code"
          [value]="search()"
          (input)="search.set($any($event.target).value)"
        />
        <span class="soft">{{ codes().length | figure }} codes{{ used() ? ', used in ' + used() : ', not used' }}</span>
        <span class="grow"></span>
        <input
          class="input"
          aria-label="Name of a new code table"
          placeholder="name of a new table"
          [value]="fresh()"
          (input)="fresh.set($any($event.target).value)"
        />
        <button type="button" class="btn" (click)="addTable()" [disabled]="!fresh().trim()">Add a table</button>
      </div>
      @if (name(); as n) {
        <form
          class="add"
          (ngSubmit)="add(from.value, to.value, meaning.value) && (from.value = to.value = meaning.value = '')"
        >
          <input #from class="input mono" aria-label="From code" placeholder="from code" />
          <input #to class="input mono" aria-label="To code" placeholder="to code" />
          <input #meaning class="input" aria-label="Meaning" placeholder="meaning" />
          <button type="submit" class="btn">Add the code</button>
          @if (complaint()) {
            <span class="rub" role="alert">{{ complaint() }}</span>
          }
        </form>
        <table class="rows">
          <thead>
            <tr>
              <th scope="col">From</th>
              <th scope="col">To</th>
              <th scope="col">Meaning</th>
              <th scope="col"><span class="visually-hidden">Remove</span></th>
            </tr>
          </thead>
          <tbody>
            @for (c of shown(); track c.from) {
              <tr>
                <td>
                  <code>{{ c.from }}</code>
                </td>
                <td>
                  <input
                    class="input mono cell"
                    [attr.aria-label]="'To code of ' + c.from"
                    [value]="c.to"
                    (change)="change(c.from, { to: $any($event.target).value })"
                  />
                </td>
                <td>
                  <input
                    class="input cell"
                    [attr.aria-label]="'Meaning of ' + c.from"
                    [value]="c.meaning ?? ''"
                    (change)="change(c.from, { meaning: $any($event.target).value || undefined })"
                  />
                </td>
                <td class="n">
                  <button
                    type="button"
                    class="btn quiet"
                    [attr.aria-label]="'Remove ' + c.from"
                    (click)="remove(c.from)"
                  >
                    Remove
                  </button>
                </td>
              </tr>
            }
          </tbody>
        </table>
        @if (found().length > shown().length) {
          <p class="soft">{{ found().length - shown().length | figure }} more; find a code to see it.</p>
        }
      }
    </div>
  `,
  styles: `
    :host {
      flex: 1;
      overflow: auto;
    }
    .panel {
      padding: 12px 24px 40px;
      max-width: 1020px;
    }
    .bar,
    .add {
      display: flex;
      gap: 12px;
      align-items: center;
      margin-bottom: 10px;
    }
    .bar nz-select {
      width: 180px;
    }
    .bar .input {
      width: 170px;
    }
    .grow {
      flex: 1;
    }
    .add .input {
      width: 190px;
    }
    td .btn {
      padding: 0 6px;
    }
    .cell {
      padding: 1px 7px;
    }
    .cell:not(:focus) {
      border-color: transparent;
      background: none;
    }
  `,
})
export class CodeTablesComponent {
  readonly document = input.required<MappingDocument>();
  private readonly store = inject(Store);
  protected readonly chosen = signal<string | null>(null);
  protected readonly search = signal('');
  protected readonly fresh = signal('');
  protected readonly complaint = signal('');
  protected readonly names = computed(() => Object.keys(this.document().codeTables));
  protected readonly name = computed(() =>
    this.chosen() !== null && this.names().includes(this.chosen()!) ? this.chosen() : (this.names()[0] ?? null),
  );
  protected readonly codes = computed((): readonly Code[] =>
    this.name() === null ? [] : this.document().codeTables[this.name()!]!,
  );
  protected readonly used = computed(() =>
    this.document()
      .lines.filter((l) => l.codeTable === this.name())
      .map((l) => `line ${this.document().lines.indexOf(l) + 1}`)
      .join(', '),
  );
  protected readonly found = computed(() => {
    const words = this.search().toLowerCase();
    return this.codes().filter((c) => `${c.from} ${c.to} ${c.meaning ?? ''}`.toLowerCase().includes(words));
  });
  protected readonly shown = computed(() => this.found().slice(0, 200));

  private give(codes: readonly Code[], merge: string): void {
    const document = { ...this.document(), codeTables: { ...this.document().codeTables, [this.name()!]: [...codes] } };
    this.store.dispatch(sheetActions.edited({ document, merge: `codes ${merge}` }));
  }
  protected add(from: string, to: string, meaning: string): boolean {
    if (this.codes().some((c) => c.from === from)) {
      this.complaint.set(`The code “${from}” is in the table already.`);
      return false;
    }
    this.complaint.set('');
    this.give([{ from, to, ...(meaning ? { meaning } : {}) }, ...this.codes()], `add ${from}`);
    return true;
  }
  protected change(from: string, patch: Partial<Code>): void {
    this.give(
      this.codes().map((c) => (c.from === from ? { ...c, ...patch } : c)),
      `change ${from}`,
    );
  }
  protected remove(from: string): void {
    this.give(
      this.codes().filter((c) => c.from !== from),
      `remove ${from}`,
    );
  }
  protected addTable(): void {
    const name = this.fresh().trim();
    if (!(name in this.document().codeTables))
      this.store.dispatch(
        sheetActions.edited({
          document: { ...this.document(), codeTables: { ...this.document().codeTables, [name]: [] } },
          merge: null,
        }),
      );
    this.chosen.set(name);
    this.fresh.set('');
  }
}
