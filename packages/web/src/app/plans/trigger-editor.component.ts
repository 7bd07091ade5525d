import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import type { PlanDocument, Trigger } from '@versicle/core';
import { FieldComponent } from '../shared/form/field.component';
import { GIVEN } from '../shared/given';
import { SELECT } from '../shared/select';
import { newTrigger, type TriggerKind, withTrigger } from './edit-plan';
import { plansFeature } from './plans.feature';
import { ScheduleEditorComponent } from './schedule-editor.component';

const KINDS: readonly { readonly kind: TriggerKind; readonly words: string }[] = [
  { kind: 'schedule', words: 'at set times' },
  { kind: 'every', words: 'again and again, a while after it ended' },
  { kind: 'after', words: 'when another plan has ended' },
  { kind: 'call', words: 'when it is called from outside' },
];

/** What starts the plan: one of its triggers, or the choice of a new one. */
@Component({
  selector: 'vs-trigger-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, FormsModule, GIVEN, SELECT, ScheduleEditorComponent],
  template: `
    @if (trigger(); as t) {
      @switch (t.kind) {
        @case ('schedule') {
          <vs-schedule-editor [schedule]="t" (changed)="put(t, $event)" />
        }
        @case ('every') {
          <vs-field label="Seconds after it ended" help="from 1 second to a year (31,622,400)"
            ><input
              class="input mono"
              type="number"
              min="1"
              max="31622400"
              [value]="t.seconds"
              (vsWritten)="put(t, { seconds: number($event) })"
          /></vs-field>
        }
        @case ('after') {
          <div class="row">
            <vs-field label="Plan">
              <nz-select
                nzId="after-plan"
                aria-label="Plan"
                nzShowSearch
                [ngModel]="t.plan"
                (ngModelChange)="put(t, { plan: $event })"
              >
                @for (p of others(); track p.id) {
                  <nz-option [nzValue]="p.id" [nzLabel]="p.name" />
                }
              </nz-select>
            </vs-field>
            <vs-field label="When it has ended">
              <nz-select
                nzId="after-on"
                aria-label="When it has ended"
                [ngModel]="t.on"
                (ngModelChange)="put(t, { on: $event })"
              >
                <nz-option nzValue="success" nzLabel="well" />
                <nz-option nzValue="failure" nzLabel="badly" />
                <nz-option nzValue="either" nzLabel="in whatever way" />
              </nz-select>
            </vs-field>
          </div>
        }
        @case ('call') {
          <p class="soft">
            Whoever has a key for it starts it with <code>POST /api/plans/{{ id() }}/start</code>, or on the command
            line with <code>versicle plans start {{ id() }}</code
            >.
          </p>
        }
      }
      <button type="button" class="btn" (click)="changed.emit(without())">Take this start away</button>
    } @else {
      <p class="soft">What starts it besides people, who always can?</p>
      <div class="row">
        @for (k of kinds; track k.kind) {
          <button
            type="button"
            class="btn"
            [disabled]="k.kind === 'after' && others().length === 0"
            (click)="add(k.kind)"
          >
            {{ k.words }}
          </button>
        }
      </div>
    }
  `,
  styles: `
    .row {
      display: flex;
      flex-wrap: wrap;
      gap: 8px 14px;
    }
    nz-select {
      min-width: 240px;
    }
  `,
})
export class TriggerEditorComponent {
  readonly id = input.required<string>();
  readonly plan = input.required<PlanDocument>();
  /** -1: a new one is chosen. */
  readonly index = input.required<number>();
  readonly changed = output<PlanDocument>();
  /** A new one was added. */
  readonly added = output<number>();
  protected readonly kinds = KINDS;
  protected readonly trigger = computed((): Trigger | undefined => this.plan().triggers[this.index()]);
  private readonly list = inject(Store).selectSignal(plansFeature.selectPlans);
  protected readonly others = computed(() => (this.list().value ?? []).filter((p) => p.id !== this.id()));

  protected add(kind: TriggerKind): void {
    const { timeZone } = Intl.DateTimeFormat().resolvedOptions();
    const trigger = newTrigger(kind, this.plan(), timeZone, this.others()[0]?.id ?? null);
    this.changed.emit(withTrigger(this.plan(), -1, trigger));
    this.added.emit(this.plan().triggers.length);
  }
  protected put(trigger: Trigger, change: Partial<Trigger>): void {
    this.changed.emit(withTrigger(this.plan(), this.index(), { ...trigger, ...change } as Trigger));
  }
  protected without(): PlanDocument {
    return withTrigger(this.plan(), this.index(), null);
  }
  protected number(text: string): number {
    return Math.min(31_622_400, Math.max(1, Math.trunc(Number(text)) || 1));
  }
}
