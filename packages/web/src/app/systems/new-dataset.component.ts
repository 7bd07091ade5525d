import { ChangeDetectionStrategy, Component, effect, inject, input, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { Actions, ofType } from '@ngrx/effects';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { Store } from '@ngrx/store';
import type { DatasetDetail } from '@versicle/contract';
import { FieldComponent } from '../shared/form/field.component';
import { FormComponent } from '../shared/form/form.component';
import { ENDPOINT_FORM } from './endpoint-form';
import { endpointOf, freshEndpoint, textOf, type EndpointText } from './endpoint-text';
import { systemsActions, systemsFeature } from './systems.feature';

/** What the template says in one case or another. */
const PHRASES = {
  change: $localize`Change …`,
  describeADataset: $localize`Describe a dataset …`,
  newSelect: $localize`New SELECT …`,
  asking: $localize`Asking …`,
  saveAndLookAt: $localize`Save and look at it`,
};

/** A dataset that people set down themselves, new or to be changed: an endpoint of an API, or a SELECT. */
@Component({
  selector: 'vs-new-dataset',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, FieldComponent, FormComponent],
  template: `
    @if (!open()) {
      <p class="acts">
        <button type="button" class="btn" (click)="begin()">
          {{ of() ? phrases.change : by() === 'endpoint' ? phrases.describeADataset : phrases.newSelect }}
        </button>
      </p>
    } @else {
      <form (ngSubmit)="save()" [attr.aria-label]="title()">
        @if (!of()) {
          <vs-field class="name" label="Name of the dataset" i18n-label>
            <input class="input mono" name="dataset" [(ngModel)]="name" autocomplete="off" />
          </vs-field>
        }
        @if (by() === 'endpoint') {
          <vs-form [fields]="entries" [values]="endpoint()" (given)="set($event.name, $event.value)" />
        } @else {
          <vs-field label="SELECT" i18n-label>
            <textarea
              class="input mono"
              name="sql"
              rows="5"
              [(ngModel)]="sql"
              placeholder="SELECT …"
              i18n-placeholder
            ></textarea>
          </vs-field>
        }
        @if (complaint() || settling().problem) {
          <p class="rub" role="alert">{{ complaint() || settling().problem }}</p>
        }
        <div class="acts">
          <button type="submit" class="btn first" [disabled]="!!settling().busy">
            {{ settling().busy ? phrases.asking : phrases.saveAndLookAt }}
          </button>
          <button i18n type="button" class="btn quiet" (click)="open.set(false)">Give up</button>
        </div>
      </form>
    }
  `,
  styles: `
    p.acts {
      margin: 0;
    }
    div.acts {
      margin: 12px 0 0;
    }
    form {
      background: var(--raised);
      border: 1px solid var(--hair);
      border-left: 3px solid var(--ink);
      padding: 12px 18px;
      margin-top: 14px;
    }
    .name {
      max-width: 320px;
    }
  `,
})
export class NewDatasetComponent {
  protected readonly phrases = PHRASES;
  readonly id = input.required<string>();
  /** By what people say how a dataset is read. */
  readonly by = input.required<'endpoint' | 'select'>();
  /** The dataset that is changed; null: a new one is set down. */
  readonly of = input<DatasetDetail | null>(null);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly settling = this.store.selectSignal(systemsFeature.selectSettling);
  protected readonly open = signal(false);
  protected readonly complaint = signal('');
  protected readonly entries = ENDPOINT_FORM;
  protected readonly endpoint = signal<EndpointText>(freshEndpoint());
  protected name = '';
  protected sql = '';

  constructor() {
    effect(() => {
      this.id();
      this.open.set(false);
    });
    inject(Actions)
      .pipe(ofType(systemsActions.settled), takeUntilDestroyed())
      .subscribe(({ id, detail }) => {
        if (!this.open() || id !== this.id() || detail.name !== this.name.trim()) return;
        if (this.of()) this.open.set(false);
        else void this.router.navigate(['/systems', id, 'dataset'], { queryParams: { name: detail.name } });
      });
  }

  protected title(): string {
    if (this.of())
      return this.by() === 'endpoint' ? $localize`Change how it is asked for` : $localize`Change the SELECT`;
    return this.by() === 'endpoint' ? $localize`Describe a dataset` : $localize`New SELECT`;
  }
  protected begin(): void {
    const { name = '', setting = null } = this.of() ?? {};
    this.name = name;
    if (setting?.kind === 'endpoint') this.endpoint.set(textOf(setting.endpoint));
    if (setting?.kind === 'select') this.sql = setting.sql;
    this.complaint.set('');
    this.open.set(true);
  }
  protected set(name: string, value: string): void {
    this.endpoint.update((e) => ({ ...e, [name]: value }));
  }
  protected save(): void {
    const name = this.name.trim();
    if (!/^[^/\s]{1,100}$/.test(name)) {
      this.complaint.set($localize`Name of the dataset: a word without blanks and slashes.`);
      return;
    }
    const before = this.of()?.setting;
    const setting =
      this.by() === 'endpoint'
        ? endpointOf(this.endpoint(), before?.kind === 'endpoint' ? before.endpoint : null)
        : this.sql.trim() === ''
          ? $localize`SELECT: something must stand here.`
          : ({ kind: 'select', sql: this.sql } as const);
    if (typeof setting === 'string') {
      this.complaint.set(setting);
      return;
    }
    this.complaint.set('');
    this.store.dispatch(systemsActions.settle({ id: this.id(), dataset: name, setting }));
  }
}
