import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { PlanDocument, Step } from '@versicle/core';
import { mappingsFeature } from '../mappings/mappings.feature';
import { FieldComponent } from '../shared/form/field.component';
import { GIVEN } from '../shared/given';
import { SELECT } from '../shared/select';
import { ChangesEditorComponent } from './changes-editor.component';
import { withoutStep, withStep } from './edit-plan';
import { plansFeature } from './plans.feature';
import { ShareEditorComponent } from './share-editor.component';
import { VanishedEditorComponent } from './vanished-editor.component';

/** What the template says in one case or another. */
const PHRASES = {
  aFolderOfA: $localize`a folder of a folder system, such as archive/`,
  ofWhatTheTable: $localize`of what the table holds`,
  ofWhatWasDelivered: $localize`of what was delivered before`,
  oneStatementCarriedOut: $localize`one statement, carried out in `,
  placesSuchAs: $localize`; places such as `,
  standForVariables: $localize` stand for variables`,
  belowTheAddressOf: $localize`below the address of `,
};

/** One step: what it does, after which others, on which condition, and what becomes of the plan when it fails. */
@Component({
  selector: 'vs-step-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    ChangesEditorComponent,
    FieldComponent,
    FormsModule,
    GIVEN,
    RouterLink,
    SELECT,
    ShareEditorComponent,
    VanishedEditorComponent,
  ],
  template: `
    @if (step(); as s) {
      <div class="row">
        @switch (s.kind) {
          @case ('mapping') {
            <vs-field label="Mapping" i18n-label>
              <nz-select
                nzId="step-mapping"
                aria-label="Mapping"
                i18n-aria-label
                nzShowSearch
                [ngModel]="s.mapping"
                (ngModelChange)="put({ mapping: $event })"
              >
                @for (m of mappings(); track m.id) {
                  <nz-option [nzValue]="m.id" [nzLabel]="m.name" />
                }
              </nz-select>
            </vs-field>
            <vs-field label="Revision" i18n-label help="a number, or empty for the newest" i18n-help
              ><input
                class="input mono narrow"
                inputmode="numeric"
                [value]="s.revision === 'newest' ? '' : s.revision"
                (vsWritten)="put({ revision: revision($event) })"
            /></vs-field>
            <vs-changes-editor [step]="s" (changed)="put($event)" />
            <vs-vanished-editor [step]="s" (changed)="put($event)" />
            <vs-field label="Keep what is read in" i18n-label [help]="phrases.aFolderOfA + RUN"
              ><input
                class="input mono"
                [value]="s.keep?.read ?? ''"
                (vsWritten)="keep({ read: $event.trim() || undefined })"
                spellcheck="false"
                placeholder="nowhere"
                i18n-placeholder
            /></vs-field>
            <vs-field label="Keep what fails in" i18n-label help="as a file with the reasons" i18n-help
              ><input
                class="input mono"
                [value]="s.keep?.failed ?? ''"
                (vsWritten)="keep({ failed: $event.trim() || undefined })"
                spellcheck="false"
                placeholder="nowhere"
                i18n-placeholder
            /></vs-field>
            @if (replaces(s.mapping) || s.vanished !== 'leave') {
              <vs-field
                label="Ask when more goes, per cent"
                i18n-label
                [help]="s.vanished === 'leave' ? phrases.ofWhatTheTable : phrases.ofWhatWasDelivered"
                ><input
                  class="input mono narrow"
                  type="number"
                  min="0"
                  max="100"
                  [value]="percent(s.removesAtMost)"
                  (vsWritten)="put({ removesAtMost: share($event) })"
              /></vs-field>
            }
          }
          @case ('sql') {
            <vs-field
              class="wide"
              label="Statement"
              i18n-label
              [help]="
                phrases.oneStatementCarriedOut + s.system + phrases.placesSuchAs + PLACE + phrases.standForVariables
              "
            >
              <textarea
                class="input mono"
                rows="4"
                [value]="s.sql"
                (vsWritten)="put({ sql: $event })"
                spellcheck="false"
              ></textarea>
            </vs-field>
          }
          @case ('request') {
            <vs-field label="Method" i18n-label>
              <nz-select
                nzId="step-method"
                aria-label="Method"
                i18n-aria-label
                [ngModel]="s.method"
                (ngModelChange)="put({ method: $event })"
              >
                @for (m of ['GET', 'POST', 'PUT', 'PATCH', 'DELETE']; track m) {
                  <nz-option [nzValue]="m" [nzLabel]="m" />
                }
              </nz-select>
            </vs-field>
            <vs-field class="wide" label="Path" i18n-label [help]="phrases.belowTheAddressOf + s.system"
              ><input class="input mono" [value]="s.path" (vsWritten)="put({ path: $event })" spellcheck="false"
            /></vs-field>
            <vs-field class="wide" label="Body" i18n-label>
              <textarea
                class="input mono"
                rows="3"
                [value]="s.body ?? ''"
                (vsWritten)="put({ body: $event || undefined })"
                spellcheck="false"
              ></textarea>
            </vs-field>
          }
          @case ('plan') {
            <vs-field label="Plan" i18n-label>
              <nz-select
                nzId="step-plan"
                aria-label="Plan"
                i18n-aria-label
                nzShowSearch
                [ngModel]="s.plan"
                (ngModelChange)="put({ plan: $event })"
              >
                @for (p of others(); track p.id) {
                  <nz-option [nzValue]="p.id" [nzLabel]="p.name" />
                }
              </nz-select>
            </vs-field>
          }
          @case ('share') {
            <vs-share-editor [step]="s" (changed)="put($event)" />
          }
          @default {
            <p i18n class="soft">
              This step is changed in the plan’s document: download it, change it, and read it in again under
              <a routerLink="/plans">Plans</a>.
            </p>
          }
        }
      </div>
      @if (earlier().length > 0) {
        <fieldset>
          <legend i18n>It goes after</legend>
          @for (o of earlier(); track o.id) {
            <label
              ><input type="checkbox" [checked]="s.after.includes(o.id)" (vsTicked)="after(o.id, $event)" />
              {{ o.id }}</label
            >
          }
        </fieldset>
      }
      <div class="row">
        <vs-field class="wide" label="Only if" i18n-label [help]="figures()"
          ><input
            class="input mono"
            [value]="s.when ?? ''"
            (vsWritten)="put({ when: $event.trim() || undefined })"
            spellcheck="false"
            placeholder="always"
            i18n-placeholder
        /></vs-field>
        <vs-field label="If it fails" i18n-label>
          <nz-select
            nzId="step-fails"
            aria-label="If it fails"
            i18n-aria-label
            [ngModel]="s.onFail"
            (ngModelChange)="put({ onFail: $event })"
          >
            <nz-option nzValue="stop" nzLabel="the plan stops" i18n-nzLabel />
            <nz-option nzValue="go on" nzLabel="the plan goes on" i18n-nzLabel />
          </nz-select>
        </vs-field>
        <vs-field label="Called" i18n-label help="in conditions" i18n-help
          ><input class="input mono called" [value]="s.id" (vsWritten)="rename($event)" spellcheck="false"
        /></vs-field>
      </div>
      @if (plan().steps.length > 1) {
        <button i18n type="button" class="btn" (click)="changed.emit(without())">Take this step away</button>
      }
    }
  `,
  styles: `
    .row {
      display: flex;
      flex-wrap: wrap;
      gap: 0 14px;
    }
    nz-select {
      min-width: 190px;
    }
    .wide {
      flex: 1 1 260px;
    }
    .wide .input {
      width: 100%;
    }
    .narrow {
      width: 92px;
    }
    .called {
      width: 120px;
    }
    fieldset {
      border: 0;
      padding: 0;
      margin: 0 0 10px;
      display: flex;
      flex-wrap: wrap;
      gap: 4px 14px;
    }
    legend {
      font: inherit;
      width: auto;
      border: 0;
      float: left;
      padding: 0;
      margin: 0 14px 0 0;
      color: var(--ink-2);
    }
  `,
})
export class StepEditorComponent {
  protected readonly phrases = PHRASES;
  readonly id = input.required<string>();
  readonly plan = input.required<PlanDocument>();
  readonly index = input.required<number>();
  readonly changed = output<PlanDocument>();
  protected readonly PLACE = '{{region}}';
  protected readonly RUN = '{{run}}';
  private readonly store = inject(Store);
  private readonly mappingList = this.store.selectSignal(mappingsFeature.selectMappings);
  private readonly planList = this.store.selectSignal(plansFeature.selectPlans);
  protected readonly mappings = computed(() => this.mappingList().value ?? []);
  protected readonly others = computed(() => (this.planList().value ?? []).filter((p) => p.id !== this.id()));
  protected readonly step = computed((): Step | undefined => this.plan().steps[this.index()]);
  /** Steps that this one may go after. */
  protected readonly earlier = computed(() => this.plan().steps.filter((s) => s.id !== this.step()?.id));
  protected readonly figures = computed(() => {
    const [first] = this.step()?.after ?? [];
    return first === undefined
      ? $localize`a rule over variables`
      : $localize`a rule over figures of earlier steps and variables, such as ${first}.failed = 0`;
  });

  protected replaces(mapping: string): boolean {
    const used = (this.planList().value ?? []).flatMap((p) => p.mappings).find((m) => m.id === mapping);
    return used?.writes.startsWith('replace') ?? false;
  }
  protected put(change: Partial<Record<string, unknown>>): void {
    this.changed.emit(withStep(this.plan(), this.index(), { ...this.step()!, ...change } as Step));
  }
  protected keep(change: { read?: string | undefined; failed?: string | undefined }): void {
    const step = this.step()!;
    if (step.kind !== 'mapping') return;
    const entries = Object.entries({ ...step.keep, ...change }).filter(([, folder]) => folder !== undefined);
    this.put({ keep: entries.length === 0 ? undefined : Object.fromEntries(entries) });
  }
  protected after(id: string, is: boolean): void {
    const { after } = this.step()!;
    this.put({ after: is ? [...after, id] : after.filter((a) => a !== id) });
  }
  /** Its name changes wherever others wait for it; conditions that speak of it say so themselves. */
  protected rename(to: string): void {
    const { id } = this.step()!;
    const named = (list: readonly string[]): string[] => list.map((a) => (a === id ? to.trim() : a));
    const steps = this.plan().steps.map((s, i): Step =>
      i === this.index() ? { ...s, id: to.trim() } : { ...s, after: named(s.after), afterAny: named(s.afterAny) },
    );
    this.changed.emit({ ...this.plan(), steps });
  }
  protected without(): PlanDocument {
    return withoutStep(this.plan(), this.index());
  }
  protected revision(text: string): number | 'newest' {
    const n = Math.trunc(Number(text));
    return text.trim() === '' || !(n >= 1) ? 'newest' : n;
  }
  protected percent(share: number): number {
    return Math.round(share * 100);
  }
  protected share(text: string): number {
    return Math.min(100, Math.max(0, Number(text) || 0)) / 100;
  }
}
