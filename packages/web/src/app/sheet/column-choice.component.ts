import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { NzDropDownModule } from 'ng-zorro-antd/dropdown';
import { COLUMNS, FIXED, SheetColumns } from './columns';
import { GIVEN } from '../shared/given';

/** Which columns the sheet shows. */
@Component({
  selector: 'vs-column-choice',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [GIVEN, NzDropDownModule],
  template: `
    <button
      i18n
      type="button"
      class="btn quiet"
      nz-dropdown
      nzTrigger="click"
      [nzDropdownMenu]="menu"
      [nzClickHide]="false"
      aria-haspopup="true"
    >
      Columns
    </button>
    <nz-dropdown-menu #menu="nzDropdownMenu">
      <fieldset>
        <legend i18n class="unseen">Columns of the sheet</legend>
        @for (c of all; track c.id) {
          <label
            ><input
              type="checkbox"
              [checked]="isShown(c.id)"
              [disabled]="fixed.has(c.id)"
              (vsTicked)="columns.show(c.id, $event)"
            />
            {{ c.name }}</label
          >
        }
        <button i18n type="button" class="btn quiet" (click)="columns.asAtFirst()">As at first</button>
      </fieldset>
    </nz-dropdown-menu>
  `,
  styles: `
    fieldset {
      margin: 0;
      padding: 8px 14px;
      border: 1px solid var(--line);
      background: var(--raised);
      display: flex;
      flex-direction: column;
      gap: 3px;
      box-shadow: 0 6px 18px rgb(28 36 48 / 12%);
    }
    label {
      display: flex;
      gap: 7px;
      align-items: center;
      min-height: 24px;
    }
    input {
      accent-color: var(--act);
    }
    .btn {
      align-self: flex-start;
    }
  `,
})
export class ColumnChoiceComponent {
  protected readonly columns = inject(SheetColumns);
  protected readonly all = COLUMNS;
  protected readonly fixed = FIXED;

  protected isShown(id: string): boolean {
    return this.columns.shown().some((c) => c.id === id);
  }
}
