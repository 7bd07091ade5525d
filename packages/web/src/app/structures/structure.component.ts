import { ChangeDetectionStrategy, Component, computed, effect, inject, input } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { RouterLink } from '@angular/router';
import { Actions, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import type { DatasetDetail } from '@versicle/contract';
import { systemsActions } from '../systems/systems.feature';
import { FIELD_ROWS, fieldWindow } from '../shared/fields/field-window';
import { FieldWindowComponent } from '../shared/fields/field-window.component';
import { FigurePipe, FullTimePipe, TimePipe } from '../shared/words';
import { ImportComponent } from './import.component';
import { structuresActions, structuresFeature } from './structures.feature';

/** What the template says in one case or another. */
const PHRASES = {
  yes: $localize`yes`,
  no: $localize`no`,
  came: $localize`came (`,
  isGone: $localize`is gone`,
  was: $localize`was `,
  is: $localize`, is `,
};

/** The fields of a dataset, where that is known from, and how it changed. */
@Component({
  selector: 'vs-structure',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, FieldWindowComponent, ImportComponent, FigurePipe, FullTimePipe, TimePipe],
  template: `
    <vs-field-window [of]="window" />
    <table class="rows">
      <thead>
        <tr>
          <th i18n scope="col" class="n">No.</th>
          <th i18n scope="col">Field</th>
          <th i18n scope="col">Type</th>
          <th i18n scope="col">May be null</th>
          <th i18n scope="col">Example</th>
          <th i18n scope="col">What it is</th>
        </tr>
      </thead>
      <tbody>
        @for (at of window.places(); track at) {
          @let f = detail().fields[at]!;
          <tr>
            <td class="n dim">{{ at + 1 | figure }}</td>
            <td>
              <b>{{ f.name }}</b>
              @if (f.key) {
                <span i18n class="key">key</span>
              }
              @if (f.label) {
                <small class="soft">{{ f.label }}</small>
              }
            </td>
            <td>
              <code>{{ f.type }}</code>
            </td>
            <td class="soft">{{ f.nullable ? phrases.yes : phrases.no }}</td>
            <td>
              <code class="example" [title]="f.example ?? ''">{{ f.example ?? '' }}</code>
            </td>
            <td class="soft">
              {{ f.description }}
              @if (f.references) {
                <ng-container i18n>
                  refers to <code>{{ f.references }}</code>
                </ng-container>
              }
            </td>
          </tr>
        }
      </tbody>
    </table>
    <div class="two">
      <section>
        <h2 i18n>How it changed</h2>
        @for (v of versions().value ?? []; track v.number) {
          <p i18n class="version">
            <b>{{ v.number }}</b><span [title]="v.at | fullTime">{{ v.at | time }}</span
            >, {{ v.source }}: {{ v.fields }} fields{{ v.changes.length === 0 ? '.' : ';' }}
            @for (c of v.changes.slice(0, mostChanges); track c.field + c.what) {
              <span class="change">
                <b>{{ c.field }}</b>
                {{
                  c.what === 'added'
                    ? phrases.came + c.after + ')'
                    : c.what === 'removed'
                      ? phrases.isGone
                      : phrases.was + c.before + phrases.is + c.after
                }}
                @if (c.touches.length > 0) {
                  <span [class.rub]="c.what !== 'added'">
                    touches
                    @for (t of c.touches; track t.mapping + t.line) {
                      <a [routerLink]="['/mappings', t.mapping]" [queryParams]="{ line: t.line }"
                        >line {{ t.number }} of {{ t.name }}</a
                      >{{ $last ? '' : ', ' }}
                    }
                  </span>
                }
              </span>
            }
            @if (v.changes.length > mostChanges) {
              <span class="change soft">and {{ v.changes.length - mostChanges | figure }} changes more</span>
            }
          </p>
        }
      </section>
      <section>
        <h2 i18n>Bring in what is written down</h2>
        <p i18n class="soft">
          An XML Schema, a JSON Schema or a data dictionary (a workbook or CSV) adds types, labels and descriptions; to
          JSON and XML, also the fields that no record has had yet.
        </p>
        <vs-import [id]="id()" [dataset]="detail().name" />
      </section>
    </div>
  `,
  styles: `
    :host {
      display: block;
      overflow: auto;
      flex: 1;
      padding-bottom: 24px;
    }
    .key {
      font: 600 11px var(--sans);
      color: var(--ink-2);
      border: 1px solid var(--line);
      border-radius: 8px;
      padding: 0 6px;
      margin-left: 6px;
    }
    .example {
      display: inline-block;
      max-width: 200px;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
      vertical-align: bottom;
    }
    .two {
      display: grid;
      grid-template-columns: 3fr 2fr;
      gap: 40px;
      margin-top: 20px;
    }
    .version > b {
      margin-right: 8px;
    }
    .version {
      margin: 0 0 8px;
    }
    .change {
      display: block;
      padding-left: 16px;
    }
  `,
})
export class StructureComponent {
  protected readonly phrases = PHRASES;
  readonly id = input.required<string>();
  readonly detail = input.required<DatasetDetail>();
  private readonly store = inject(Store);
  protected readonly mostChanges = FIELD_ROWS;
  protected readonly window = fieldWindow(
    computed(() => this.detail().fields.map((f) => f.name)),
    FIELD_ROWS,
  );
  protected readonly versions = this.store.selectSignal(structuresFeature.selectVersions);

  constructor() {
    effect(() => this.store.dispatch(structuresActions.opened({ id: this.id(), dataset: this.detail().name })));
    inject(Actions)
      .pipe(ofType(structuresActions.imported), takeUntilDestroyed())
      .subscribe(() => this.store.dispatch(systemsActions.structureAsked({ id: this.id(), name: this.detail().name })));
  }
}
