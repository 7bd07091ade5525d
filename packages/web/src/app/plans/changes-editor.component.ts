import { ChangeDetectionStrategy, Component, inject, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { knownSourceFields, type MappingDocument, type MappingStep } from '@versicle/core';
import { Api } from '../shared/api';
import { FieldComponent } from '../shared/form/field.component';
import { GIVEN } from '../shared/given';
import { SELECT } from '../shared/select';

type Changes = MappingStep['changes'];

/** Which records a step reads and sends: all, what changed, what is new by a field, or what the source wrote down itself. */
@Component({
  selector: 'vs-changes-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, FormsModule, GIVEN, SELECT],
  template: `
    <vs-field label="Records" i18n-label [help]="help()">
      <nz-select
        nzId="step-changes"
        aria-label="Records"
        i18n-aria-label
        [ngModel]="step().changes"
        (ngModelChange)="choose($event)"
      >
        <nz-option nzValue="all" nzLabel="all of them" i18n-nzLabel />
        <nz-option nzValue="compare" nzLabel="only what changed" i18n-nzLabel />
        <nz-option nzValue="watermark" nzLabel="only what is new by a field" i18n-nzLabel />
        <nz-option nzValue="captured" nzLabel="only what the source wrote down" i18n-nzLabel />
      </nz-select>
    </vs-field>
    @if (step().watermark; as w) {
      <vs-field label="New by" i18n-label help="a rule over the source: a moment or a number" i18n-help
        ><input
          class="input mono wide"
          [value]="w.field"
          (vsWritten)="put({ ...w, field: $event.trim() })"
          spellcheck="false"
      /></vs-field>
      <vs-field label="Looking back" i18n-label help="for what comes late, such as 1 day" i18n-help
        ><input
          class="input mono narrow"
          [value]="w.overlap ?? ''"
          (vsWritten)="put({ field: w.field, overlap: $event.trim() || undefined })"
          spellcheck="false"
      /></vs-field>
    }
  `,
  styles: `
    :host {
      display: contents;
    }
    nz-select {
      min-width: 210px;
    }
    .wide {
      width: 270px;
    }
    .narrow {
      width: 92px;
    }
  `,
})
export class ChangesEditorComponent {
  readonly step = input.required<MappingStep>();
  readonly changed = output<Partial<MappingStep>>();
  private readonly api = inject(Api);

  protected help(): string {
    switch (this.step().changes) {
      case 'compare':
        return $localize`what the target was sent before, just as it is now, is not sent again`;
      case 'watermark':
        return $localize`from the highest value of the last run on; of these, what changed`;
      case 'captured':
        return $localize`by triggers or the log of its database, as its system’s settings say; all of them the first time`;
      default:
        return '';
    }
  }
  protected choose(changes: Changes): void {
    if (changes !== 'watermark') return this.changed.emit({ changes, watermark: undefined });
    this.api.call('getMapping', { params: { id: this.step().mapping } }).subscribe({
      next: ({ document }) => this.changed.emit({ changes, watermark: proposed(document) }),
      error: () =>
        this.changed.emit({ changes, watermark: { field: 'CAST(changed_at AS timestamp)', overlap: '1 day' } }),
    });
  }
  protected put(watermark: MappingStep['watermark']): void {
    this.changed.emit({ watermark });
  }
}

/** By what records of a source may be told to be new: a moment of theirs, best that of their last change. */
export function proposed(document: MappingDocument): { field: string; overlap?: string } {
  const { primary, structures } = document.source;
  const fields =
    structures[primary.dataset] ?? knownSourceFields(document).map((name) => ({ name, type: 'text' as string }));
  const isMoment = (type: string): boolean => /^(date|timestamp)/.test(type);
  const found =
    fields.find((f) => isMoment(f.type) && /chang|updat|modif/i.test(f.name)) ??
    fields.find((f) => isMoment(f.type)) ??
    fields.find((f) => /chang|updat|modif|creat|ended|started|_at$|_on$|date|time/i.test(f.name));
  const name = found?.name ?? 'changed_at';
  const field = `${primary.alias}.${/^[a-z_][a-z0-9_]*$/.test(name) ? name : JSON.stringify(name)}`;
  return { field: found && isMoment(found.type) ? field : `CAST(${field} AS timestamp)`, overlap: '1 day' };
}
