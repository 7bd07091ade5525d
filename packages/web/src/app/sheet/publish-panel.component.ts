import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { MappingDocument } from '@versicle/core';
import { DifferenceComponent } from '../mappings/difference.component';
import { LoadingComponent } from '../shared/loading.component';
import { SaidComponent } from '../shared/said.component';
import { SurfaceDirective } from '../shared/surface.directive';
import { FigurePipe } from '../shared/words';
import { LackingFieldsComponent } from './lacking-fields.component';
import { sheetActions } from './sheet.actions';
import { type SheetState } from './sheet.feature';
import { FieldComponent } from '../shared/form/field.component';
import { unsettledWords } from './unsettled';

/** What the template says in one case or another. */
const PHRASES = {
  record: $localize`record`,
  records: $localize`records`,
  theFirstRevision: $localize`The first revision`,
  whatChangesSinceRevision: $localize`What changes since revision `,
};

/** Before a revision is published: what it changes, and a note. After it: what to do next. */
@Component({
  selector: 'vs-publish-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    FieldComponent,
    LackingFieldsComponent,
    RouterLink,
    FigurePipe,
    DifferenceComponent,
    LoadingComponent,
    SaidComponent,
    SurfaceDirective,
  ],
  template: `
    @if (of(); as p) {
      <section class="panel" vsSurface aria-label="Publish" i18n-aria-label>
        @if (p.done; as d) {
          <p i18n class="done" role="status">
            <b>Revision {{ d.number }} is published.</b> Runs carry it out from now on.
            @if (record() !== null) {
              <a class="btn first" routerLink="/failures" [queryParams]="{ mapping: mapping(), record: record() }"
                >Back to the failed record</a
              >
            }
            @if (plan(); as plan) {
              <a class="btn" routerLink="/plans" [queryParams]="{ start: plan }">Run …</a>
            } @else {
              <a class="btn" routerLink="/plans" [queryParams]="{ of: mapping() }">Make a plan of it</a>
            }
            @if (openFailures() > 0 && record() === null) {
              <a class="btn" routerLink="/failures" [queryParams]="{ mapping: mapping() }"
                >Look at the {{ openFailures() | figure }} failed
                {{ openFailures() === 1 ? phrases.record : phrases.records }}, to send them again</a
              >
            }
            <button type="button" class="btn quiet" (click)="giveUp()">Close</button>
          </p>
        } @else {
          <div class="grid">
            <div>
              <h2>
                {{ revision() === null ? phrases.theFirstRevision : phrases.whatChangesSinceRevision + revision() }}
              </h2>
              @if (revision() === null) {
                <p i18n class="soft">Nothing has been published yet; the whole document becomes revision 1.</p>
              } @else if (p.difference.state === 'loaded') {
                <vs-difference [of]="p.difference.value!" />
              } @else if (!p.problem) {
                <vs-loading [of]="p.difference" words="Comparing …" i18n-words />
              }
            </div>
            <form (submit)="$event.preventDefault(); publish(note.value)">
              <vs-field label="Note, for those who read it later" i18n-label
                ><input #note data-first class="input" autocomplete="off"
              /></vs-field>
              <vs-lacking-fields [mapping]="mapping()" [target]="document().target.dataset" [version]="version()" />
              @if (unsettled(); as words) {
                <p class="soft" role="status">{{ words }}</p>
              }
              @if (p.problem) {
                <p class="rub" role="alert"><vs-said [text]="p.problem" /></p>
                @for (f of p.faults; track $index) {
                  <p class="rub fault">
                    <b>{{ f.path }}</b>&ngsp;<vs-said [text]="f.message" />
                  </p>
                }
              }
              <button i18n type="submit" class="btn first" [disabled]="p.busy || saving() !== 'saved'">
                Publish revision {{ (revision() ?? 0) + 1 }}
              </button>
              <button i18n type="button" class="btn quiet" (click)="giveUp()">Not now</button>
            </form>
          </div>
        }
      </section>
    }
  `,
  styles: `
    .panel {
      background: var(--raised);
      border-bottom: 1px solid var(--line);
      box-shadow: inset 3px 0 0 var(--act);
      padding: 10px 24px 14px;
      max-height: 46vh;
      overflow: auto;
    }
    .grid {
      display: grid;
      grid-template-columns: minmax(0, 1fr) 320px;
      gap: 34px;
    }
    h2 {
      margin-top: 2px;
    }
    .done {
      display: flex;
      gap: 12px;
      align-items: center;
      font: 14.4px/1.45 var(--serif);
    }
    .fault {
      font-size: 12.8px;
      margin: 4px 0;
    }
    p.rub {
      margin-bottom: 8px;
    }
  `,
})
export class PublishPanelComponent {
  protected readonly phrases = PHRASES;
  readonly of = input.required<NonNullable<SheetState['publishing']>>();
  readonly revision = input.required<number | null>();
  readonly saving = input.required<SheetState['saving']>();
  readonly mapping = input.required<string>();
  readonly plan = input.required<string | null>();
  readonly openFailures = input.required<number>();
  readonly document = input.required<MappingDocument>();
  readonly record = input.required<number | null>();
  readonly version = input.required<number>();
  private readonly store = inject(Store);

  /** What of the document nobody has settled; it runs as it stands. */
  protected readonly unsettled = computed(() => unsettledWords(this.document()));

  protected publish(note: string): void {
    this.store.dispatch(sheetActions.publish({ note: note.trim() }));
  }
  protected giveUp(): void {
    this.store.dispatch(sheetActions.publishGivenUp());
  }
}
