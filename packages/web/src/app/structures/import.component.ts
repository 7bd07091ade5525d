import { ChangeDetectionStrategy, Component, inject, input } from '@angular/core';
import { Store } from '@ngrx/store';
import { chosenFile } from '../shared/chosen-file';
import { structuresActions, structuresFeature } from './structures.feature';

/** Bytes of a schema or dictionary at the most. */
const MAX_BYTES = 14_000_000;

/** What the template says in one case or another. */
const PHRASES = {
  reading: $localize`Reading …`,
  chooseAFile: $localize`Choose a file …`,
};

/** Takes a schema, an API's description or a dictionary from this computer. */
@Component({
  selector: 'vs-import',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    <label class="btn" tabindex="-1"
      >{{ importing().busy ? phrases.reading : phrases.chooseAFile }}
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
  protected readonly phrases = PHRASES;
  readonly id = input.required<string>();
  /** Null: the file says itself which datasets it tells of. */
  readonly dataset = input<string | null>(null);
  readonly label = input($localize`A schema or dictionary from this computer`);
  private readonly store = inject(Store);
  protected readonly importing = this.store.selectSignal(structuresFeature.selectImporting);

  protected async take(input: HTMLInputElement): Promise<void> {
    const fail = (problem: string): void => this.store.dispatch(structuresActions.importFailed({ problem }));
    const size = input.files?.[0]?.size ?? 0;
    if (size > MAX_BYTES)
      return fail(
        $localize`${input.files![0]!.name} has more than ${MAX_BYTES / 1_000_000} MB; no schema or dictionary does.`,
      );
    try {
      const file = await chosenFile(input);
      if (!file) return;
      const of = { id: this.id(), dataset: this.dataset() };
      this.store.dispatch(structuresActions.import({ ...of, fileName: file.name, content: file.content }));
    } catch (error) {
      fail((error as Error).message);
    }
  }
}
