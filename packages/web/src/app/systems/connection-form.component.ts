import { ChangeDetectionStrategy, Component, computed, effect, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { Connection, FormEntry } from '@versicle/contract';
import { SELECT } from '../shared/select';

/** The entries of a kind of system, made from the contract's schema: label, help, choices; secrets are never shown. */
@Component({
  selector: 'vs-connection-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, SELECT],
  template: `
    @for (e of entries(); track e.name) {
      <div class="field" [class.wide]="e.long">
        @if (e.type === 'choice') {
          <span [id]="'l-' + e.name">{{ e.title }}</span>
          <nz-select
            [name]="e.name"
            [ngModel]="value(e)"
            (ngModelChange)="set(e.name, $event)"
            [nzId]="'e-' + e.name"
            [attr.aria-labelledby]="'l-' + e.name"
            [nzDropdownMatchSelectWidth]="false"
          >
            @for (c of e.choices; track c.value) {
              <nz-option [nzValue]="c.value" [nzLabel]="c.words" />
            }
          </nz-select>
        } @else {
          <label [for]="'e-' + e.name">{{ e.title }}</label>
          @if (e.long) {
            <textarea
              class="input mono"
              rows="3"
              [id]="'e-' + e.name"
              [name]="e.name"
              [ngModel]="value(e)"
              (ngModelChange)="set(e.name, $event)"
              [attr.aria-describedby]="help(e) ? 'h-' + e.name : null"
            ></textarea>
          } @else {
            <input
              class="input mono"
              [type]="e.secret ? 'password' : 'text'"
              [attr.inputmode]="e.type === 'number' ? 'numeric' : null"
              [id]="'e-' + e.name"
              [name]="e.name"
              [ngModel]="value(e)"
              (ngModelChange)="set(e.name, $event)"
              [placeholder]="placeholder(e)"
              [attr.autocomplete]="e.secret ? 'new-password' : 'off'"
              [attr.aria-describedby]="help(e) ? 'h-' + e.name : null"
            />
          }
        }
        @if (help(e); as text) {
          <small [id]="'h-' + e.name">{{ text }}</small>
        }
      </div>
    }
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(230px, 1fr));
      gap: 0 16px;
      align-items: start;
    }
    nz-select {
      width: 100%;
    }
    .wide {
      grid-column: span 2;
    }
    textarea {
      width: 100%;
      resize: vertical;
    }
  `,
})
export class ConnectionFormComponent {
  readonly kind = input.required<string>();
  /** The entries of the kind's form. */
  readonly form = input.required<readonly FormEntry[]>();
  /** What is there already, when a connection is changed. */
  readonly connection = input<Connection | null>(null);
  readonly secretsSet = input<readonly string[]>([]);
  readonly changed = output<Record<string, unknown>>();
  private readonly values = signal<Readonly<Record<string, string>>>({});
  protected readonly entries = computed(() =>
    this.form().filter((e) => !e.when || e.when.is.includes(this.valueOf(e.when.entry))),
  );

  /** As text: the same connection, read anew, must not start the form anew. */
  private readonly known = computed(() => JSON.stringify(this.connection()));

  constructor() {
    effect(() => {
      const known = JSON.parse(this.known()) as Readonly<Record<string, unknown>> | null;
      const start = this.form().map((e) => [e.name, known ? textOf(known[e.name]) : e.initial]);
      // What is typed later must not start the form anew.
      untracked(() => {
        this.values.set(Object.fromEntries(start) as Record<string, string>);
        this.tell();
      });
    });
  }

  private valueOf(name: string): string {
    return this.values()[name] ?? '';
  }
  protected value(e: FormEntry): string {
    return this.valueOf(e.name);
  }
  protected set(name: string, value: string): void {
    this.values.update((all) => ({ ...all, [name]: value }));
    this.tell();
  }
  protected help(e: FormEntry): string {
    return e.secret && this.secretsSet().includes(e.name)
      ? 'One is kept; leave this empty to keep it.'
      : (e.description ?? '');
  }
  protected placeholder(e: FormEntry): string {
    return e.secret && this.secretsSet().includes(e.name) ? '•••••••• kept' : e.example ? `such as ${e.example}` : '';
  }

  /** Entries that don't matter now, and those left empty, are left out: an empty secret means that the kept one stays. */
  private tell(): void {
    const filled = this.entries()
      .map((e) => [e.name, this.valueOf(e.name).trim()] as const)
      .filter(([, text]) => text !== '');
    this.changed.emit({ kind: this.kind(), ...Object.fromEntries(filled) });
  }
}
const textOf = (value: unknown): string => (value === undefined || value === null ? '' : String(value as string));

/** What is missing in a connection, in a sentence that names the entry; null when nothing is. */
export function missingEntry(connection: Readonly<Record<string, unknown>>, form: readonly FormEntry[]): string | null {
  const matters = (e: FormEntry): boolean => !e.when || e.when.is.includes(String(connection[e.when.entry] ?? ''));
  const missing = form.find((e) => e.required && matters(e) && connection[e.name] === undefined);
  return missing ? `${missing.title}: something must stand here.` : null;
}
