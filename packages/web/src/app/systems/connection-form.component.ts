import { ChangeDetectionStrategy, Component, computed, effect, input, output, signal, untracked } from '@angular/core';
import type { Connection, FormEntry } from '@versicle/contract';
import { FormComponent } from '../shared/form/form.component';
import { mattering, type FormValues } from '../shared/form/form-field';

/** The entries of a kind of system, which the kind describes itself; secrets are never shown. */
@Component({
  selector: 'vs-connection-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormComponent],
  template: `
    <vs-form [fields]="form()" [values]="values()" [kept]="secretsSet()" (given)="set($event.name, $event.value)" />
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
  protected readonly values = signal<FormValues>({});

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

  protected set(name: string, value: string): void {
    this.values.update((all) => ({ ...all, [name]: value }));
    this.tell();
  }

  /** Entries that don't matter now, and those left empty, are left out: an empty secret means that the kept one stays. */
  private tell(): void {
    const values = this.values();
    const filled = mattering(this.form(), values)
      .map((e) => [e.name, (values[e.name] ?? '').trim()] as const)
      .filter(([, text]) => text !== '');
    this.changed.emit({ kind: this.kind(), ...Object.fromEntries(filled) });
  }
}
const textOf = (value: unknown): string => (value === undefined || value === null ? '' : String(value as string));

/** What is missing in a connection, in a sentence that names the entry; null when nothing is. */
export function missingEntry(connection: Readonly<Record<string, unknown>>, form: readonly FormEntry[]): string | null {
  const values = Object.fromEntries(Object.entries(connection).map(([name, value]) => [name, textOf(value)]));
  const missing = mattering(form, values).find((e) => e.required && connection[e.name] === undefined);
  return missing ? $localize`${missing.title}\: something must stand here.` : null;
}
