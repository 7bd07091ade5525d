import { ChangeDetectionStrategy, Component, computed, inject, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { newSystem } from '@versicle/contract';
import { SELECT } from '../shared/select';
import { ConnectionFormComponent, missingEntry } from './connection-form.component';
import { systemsActions, systemsFeature } from './systems.feature';
import { FieldComponent } from '../shared/form/field.component';

/** What the template says in one case or another. */
const PHRASES = {
  tidebridge: $localize`tidebridge`,
};

/** The form for a new system. */
@Component({
  selector: 'vs-new-system',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, FormsModule, SELECT, ConnectionFormComponent],
  template: `
    <form (ngSubmit)="save()" aria-label="Connect a system" i18n-aria-label>
      <div class="names">
        <vs-field label="Name" i18n-label
          ><input class="input" name="name" [ngModel]="name()" (ngModelChange)="name.set($event)" autocomplete="off"
        /></vs-field>
        <vs-field label="Short name in documents" i18n-label>
          <input
            class="input mono"
            id="id"
            name="id"
            [ngModel]="id()"
            (ngModelChange)="ownId.set($event)"
            autocomplete="off"
          />
          <small i18n id="id-help">as in {{ id() || phrases.tidebridge }}/stations.csv</small>
        </vs-field>
        <vs-field label="Kind" i18n-label>
          <nz-select name="kind" [ngModel]="kind()" (ngModelChange)="kind.set($event)" nzId="kind">
            @for (k of kinds(); track k.kind) {
              <nz-option [nzValue]="k.kind" [nzLabel]="k.words" />
            }
          </nz-select>
        </vs-field>
      </div>
      <vs-connection-form [kind]="kind()" [form]="form()" (changed)="connection.set($event)" />
      @if (complaint() || problem()) {
        <p class="rub" role="alert">{{ complaint() || problem() }}</p>
      }
      <div class="acts">
        <button i18n type="submit" class="btn first">Connect and test</button>
        <button i18n type="button" class="btn quiet" (click)="closed.emit()">Give up</button>
      </div>
    </form>
  `,
  styles: `
    form {
      background: var(--raised);
      border: 1px solid var(--hair);
      border-left: 3px solid var(--ink);
      padding: 14px 18px 12px;
      margin-bottom: 18px;
    }
    .names {
      display: grid;
      grid-template-columns: 230px 230px 230px;
      gap: 0 16px;
      border-bottom: 1px solid var(--hair);
      margin-bottom: 10px;
    }
    nz-select {
      width: 100%;
    }
    p {
      margin-bottom: 8px;
    }
  `,
})
export class NewSystemComponent {
  protected readonly phrases = PHRASES;
  readonly closed = output();
  private readonly store = inject(Store);
  protected readonly problem = this.store.selectSignal(systemsFeature.selectProblem);
  protected readonly kinds = this.store.selectSignal(systemsFeature.selectKinds);
  protected readonly name = signal('');
  protected readonly ownId = signal<string | null>(null);
  protected readonly kind = signal('folder');
  protected readonly form = computed(() => this.kinds().find((k) => k.kind === this.kind())?.entries ?? []);
  protected readonly connection = signal<Record<string, unknown>>({});
  protected readonly complaint = signal('');
  /** Made of the name until the person writes another. */
  protected readonly id = computed(
    () =>
      this.ownId() ??
      this.name()
        .toLowerCase()
        .replace(/[^a-z0-9]+/g, '-')
        .replace(/^[^a-z]+|-+$/g, ''),
  );

  protected save(): void {
    const connection = this.connection();
    const fault = missingEntry(connection, this.form());
    const system = newSystem.safeParse({ id: this.id(), name: this.name().trim(), connection });
    if (system.success && fault === null) {
      this.complaint.set('');
      this.store.dispatch(systemsActions.create({ system: system.data }));
      return;
    }
    const issue = system.error?.issues.find((i) => i.path.length === 1);
    const names: Record<string, string> = { id: $localize`Short name`, name: $localize`Name` };
    this.complaint.set(
      issue
        ? `${names[String(issue.path[0])] ?? $localize`The form`}: ${issue.code === 'too_small' ? $localize`something must stand here` : issue.message}.`
        : (fault ?? $localize`The form is not complete.`),
    );
  }
}
