import { ChangeDetectionStrategy, Component, inject, input } from '@angular/core';
import { Store } from '@ngrx/store';
import { structuresActions, structuresFeature } from './structures.feature';

/** Bytes of a schema or dictionary at the most. */
const MAX_BYTES = 14_000_000;

/** Takes a schema, an API's description or a dictionary from this computer. */
@Component({
  selector: 'vs-import',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <label class="btn" tabindex="-1"
      >{{ importing().busy ? 'Reading …' : 'Choose a file …' }}
      <input #file type="file" [attr.aria-label]="label()" (change)="take(file)" [disabled]="importing().busy" />
    </label>
    @if (importing().problem; as problem) {
      <p class="rub" role="alert">{{ problem }}</p>
    }
    @if (importing().done; as done) {
      <p role="status">{{ done }}</p>
    }
  `,
  styles: `
    :host {
      display: block;
    }
    label {
      vertical-align: middle;
      position: relative;
      overflow: hidden;
    }
    input {
      position: absolute;
      inset: 0;
      opacity: 0;
      cursor: pointer;
    }
    label:focus-within {
      outline: 2px solid var(--act);
      outline-offset: 1px;
    }
    p {
      margin: 8px 0 0;
    }
  `,
})
export class ImportComponent {
  readonly id = input.required<string>();
  /** Null: the file says itself which datasets it tells of. */
  readonly dataset = input<string | null>(null);
  readonly label = input('A schema or dictionary from this computer');
  private readonly store = inject(Store);
  protected readonly importing = this.store.selectSignal(structuresFeature.selectImporting);

  protected take(input: HTMLInputElement): void {
    const file = input.files?.[0];
    if (!file) return;
    if (file.size > MAX_BYTES) {
      const problem = `${file.name} has more than ${MAX_BYTES / 1_000_000} MB; no schema or dictionary does.`;
      this.store.dispatch(structuresActions.importFailed({ problem }));
      return;
    }
    const reader = new FileReader();
    reader.onload = () => {
      // The same file may be chosen again after it was mended.
      input.value = '';
      const url = reader.result as string;
      const content = url.slice(url.indexOf(',') + 1);
      this.store.dispatch(
        structuresActions.import({ id: this.id(), dataset: this.dataset(), fileName: file.name, content }),
      );
    };
    reader.onerror = () =>
      this.store.dispatch(
        structuresActions.importFailed({ problem: `${file.name} can’t be read from this computer.` }),
      );
    reader.readAsDataURL(file);
  }
}
