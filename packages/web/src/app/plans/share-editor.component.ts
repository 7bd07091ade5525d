import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import type { ShareStep } from '@versicle/core';
import { mappingsFeature } from '../mappings/mappings.feature';
import { FieldComponent } from '../shared/form/field.component';
import { GIVEN } from '../shared/given';
import { SELECT } from '../shared/select';

/** What the template says in one case or another. */
const PHRASES = {
  share: $localize`Share `,
  aRuleOverThe: $localize`a rule over the fields of `,
};

/** The records of one dataset: who takes which of them, and what becomes of the rest. */
@Component({
  selector: 'vs-share-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, FormsModule, GIVEN, SELECT],
  template: `
    @for (b of step().by; track $index) {
      <div class="row" role="group" [attr.aria-label]="phrases.share + ($index + 1)">
        <vs-field label="Mapping" i18n-label>
          <nz-select
            [nzId]="'share-mapping-' + $index"
            aria-label="Mapping"
            i18n-aria-label
            nzShowSearch
            [ngModel]="b.mapping"
            (ngModelChange)="put($index, { mapping: $event })"
          >
            @for (m of mappings(); track m.id) {
              <nz-option [nzValue]="m.id" [nzLabel]="m.name" />
            }
          </nz-select>
        </vs-field>
        <vs-field
          class="wide"
          label="Takes records where"
          i18n-label
          [help]="$index === 0 ? phrases.aRuleOverThe + step().dataset : ''"
          ><input
            class="input mono"
            [value]="b.when"
            (vsWritten)="put($index, { when: $event.trim() || b.when })"
            spellcheck="false"
        /></vs-field>
        @if (step().by.length > 1) {
          <button i18n type="button" class="btn quiet" (click)="remove($index)">Leave out</button>
        }
      </div>
    }
    <button i18n type="button" class="btn more" [disabled]="mappings().length === 0" (click)="add()">
      Give some to another mapping
    </button>
    <div class="row">
      <vs-field label="A record goes" i18n-label>
        <nz-select
          nzId="share-all"
          aria-label="A record goes"
          i18n-aria-label
          [ngModel]="step().all"
          (ngModelChange)="changed.emit({ all: $event })"
        >
          <nz-option [nzValue]="false" nzLabel="to the first that takes it" i18n-nzLabel />
          <nz-option [nzValue]="true" nzLabel="to every one that takes it" i18n-nzLabel />
        </nz-select>
      </vs-field>
      <vs-field label="What none takes" i18n-label>
        <nz-select
          nzId="share-rest"
          aria-label="What none takes"
          i18n-aria-label
          [ngModel]="step().rest"
          (ngModelChange)="changed.emit({ rest: $event })"
        >
          <nz-option nzValue="keep" nzLabel="is kept, to be shared out later" i18n-nzLabel />
          <nz-option nzValue="fail" nzLabel="fails" i18n-nzLabel />
        </nz-select>
      </vs-field>
    </div>
  `,
  styles: `
    :host {
      display: block;
      width: 100%;
    }
    .row {
      display: flex;
      flex-wrap: wrap;
      gap: 0 14px;
    }
    .btn {
      align-self: flex-start;
      margin-top: 20px;
    }
    .more {
      margin: 0 0 14px;
    }
    nz-select {
      min-width: 210px;
    }
    .wide {
      flex: 1 1 260px;
    }
    .wide .input {
      width: 100%;
    }
  `,
})
export class ShareEditorComponent {
  protected readonly phrases = PHRASES;
  private readonly list = inject(Store).selectSignal(mappingsFeature.selectMappings);
  readonly step = input.required<ShareStep>();
  readonly changed = output<Partial<ShareStep>>();
  /** Only mappings of that dataset can be given its records. */
  protected readonly mappings = computed(() =>
    (this.list().value ?? []).filter((m) => m.source === this.step().dataset && m.further.length === 0),
  );

  protected put(index: number, change: Partial<ShareStep['by'][number]>): void {
    const { by } = this.step();
    this.changed.emit({ by: by.with(index, { ...by[index]!, ...change }) });
  }
  protected add(): void {
    const { by } = this.step();
    const all = this.mappings();
    const next = all.find((m) => !by.some((b) => b.mapping === m.id)) ?? all[0]!;
    this.changed.emit({ by: [...by, { when: 'TRUE', mapping: next.id }] });
  }
  protected remove(index: number): void {
    this.changed.emit({ by: this.step().by.toSpliced(index, 1) });
  }
}
