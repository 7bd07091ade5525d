import {
  ChangeDetectionStrategy,
  Component,
  type ElementRef,
  inject,
  input,
  output,
  signal,
  viewChild,
} from '@angular/core';
import { Store } from '@ngrx/store';
import type { WorkbookRead } from '@versicle/contract';
import { NzDropDownModule } from 'ng-zorro-antd/dropdown';
import { frameActions } from '../frame/frame.feature';
import { firstValueFrom } from 'rxjs';
import { Api } from '../shared/api';
import { chosenFile } from '../shared/chosen-file';

/** The document as a workbook: out, for those who only ever see that, and back. */
@Component({
  selector: 'vs-workbook-menu',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [NzDropDownModule],
  template: `
    <button
      i18n
      type="button"
      class="btn quiet"
      nz-dropdown
      nzTrigger="click"
      [nzDropdownMenu]="menu"
      [nzVisible]="shown()"
      (nzVisibleChange)="shown.set($event)"
      aria-haspopup="true"
    >
      Workbook
    </button>
    <nz-dropdown-menu #menu="nzDropdownMenu">
      <div class="menu">
        <a
          i18n
          class="btn quiet"
          [href]="'/api/mappings/' + mapping() + '/workbook.xlsx'"
          download
          (click)="closeSoon()"
          >Download it (.xlsx)</a
        >
        <button i18n type="button" class="btn quiet" (click)="closeSoon(); file().nativeElement.click()">
          Read one back …
        </button>
      </div>
    </nz-dropdown-menu>
    <input
      #box
      type="file"
      accept=".xlsx"
      hidden
      aria-label="Workbook to read back"
      i18n-aria-label
      (change)="take(box)"
    />
  `,
  styles: `
    .menu {
      display: flex;
      flex-direction: column;
      align-items: flex-start;
      padding: 8px 14px;
      border: 1px solid var(--line);
      background: var(--raised);
      box-shadow: 0 6px 18px rgb(28 36 48 / 12%);
    }
  `,
})
export class WorkbookMenuComponent {
  readonly mapping = input.required<string>();
  readonly read = output<WorkbookRead>();
  protected readonly shown = signal(false);
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly file = viewChild.required<ElementRef<HTMLInputElement>>('box');

  /** The browser follows a link only as long as it is there. */
  protected closeSoon(): void {
    setTimeout(() => this.shown.set(false));
  }
  protected async take(box: HTMLInputElement): Promise<void> {
    try {
      const file = await chosenFile(box);
      if (!file) return;
      const body = { fileName: file.name, content: file.content };
      this.read.emit(await firstValueFrom(this.api.call('readWorkbook', { params: { id: this.mapping() }, body })));
    } catch (error) {
      this.complain((error as Error).message);
    }
  }
  private complain(text: string): void {
    this.store.dispatch(frameActions.say({ text, problem: true }));
  }
}
