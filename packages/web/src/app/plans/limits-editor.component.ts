import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import type { PlanDocument } from '@versicle/core';
import { FieldComponent } from '../shared/form/field.component';
import { GIVEN } from '../shared/given';
import { SELECT } from '../shared/select';

/** What holds for the whole plan: how much may fail, and what happens when it is due while it still runs. */
@Component({
  selector: 'vs-limits-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, FormsModule, GIVEN, SELECT],
  template: `
    <div class="row">
      <vs-field
        label="Stop when more fail than, per cent"
        i18n-label
        help="counted from the first hundred records on; empty: however many fail"
        i18n-help
        ><input
          class="input mono"
          type="number"
          min="0"
          max="100"
          step="any"
          [value]="percent()"
          (vsWritten)="share($event)"
      /></vs-field>
      <vs-field label="or than so many records" i18n-label help="empty: however many fail" i18n-help
        ><input
          class="input mono"
          type="number"
          min="1"
          [value]="plan().stop?.failed ?? ''"
          (vsWritten)="failed($event)"
      /></vs-field>
      <vs-field label="When it is due while it still runs" i18n-label>
        <nz-select
          nzId="overlap"
          aria-label="When it is due while it still runs"
          i18n-aria-label
          [ngModel]="plan().overlap"
          (ngModelChange)="changed.emit({ overlap: $event })"
        >
          <nz-option nzValue="wait" nzLabel="the next run waits" i18n-nzLabel />
          <nz-option nzValue="skip" nzLabel="it is left out" i18n-nzLabel />
          <nz-option nzValue="replace" nzLabel="the older run is cancelled" i18n-nzLabel />
        </nz-select>
      </vs-field>
    </div>
  `,
  styles: `
    .row {
      display: flex;
      flex-wrap: wrap;
      gap: 0 18px;
    }
    vs-field {
      max-width: 230px;
    }
    .input {
      width: 120px;
    }
    nz-select {
      min-width: 220px;
    }
  `,
})
export class LimitsEditorComponent {
  readonly plan = input.required<PlanDocument>();
  readonly changed = output<Partial<PlanDocument>>();

  protected percent(): number | '' {
    const share = this.plan().stop?.failedShare;
    return share === undefined ? '' : +(share * 100).toFixed(4);
  }
  protected share(text: string): void {
    const share = Number(text) / 100;
    this.put({ failedShare: text.trim() !== '' && share > 0 ? Math.min(1, share) : undefined });
  }
  protected failed(text: string): void {
    const n = Math.trunc(Number(text));
    this.put({ failed: n >= 1 ? n : undefined });
  }
  private put(change: NonNullable<PlanDocument['stop']> | Record<string, undefined>): void {
    const stop = { ...this.plan().stop, ...change };
    const isEmpty = stop.failed === undefined && stop.failedShare === undefined;
    this.changed.emit({ stop: isEmpty ? undefined : stop });
  }
}
