import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { mappingsOf, type PlanDocument, type Trigger } from '@versicle/core';
import { mappingsFeature } from '../mappings/mappings.feature';
import { systemsFeature } from '../systems/systems.feature';
import { FieldComponent } from '../shared/form/field.component';
import { GIVEN } from '../shared/given';
import { SELECT } from '../shared/select';
import { newTrigger, type TriggerKind, withTrigger } from './edit-plan';
import { plansFeature } from './plans.feature';
import { ScheduleEditorComponent } from './schedule-editor.component';

const KINDS: readonly { readonly kind: TriggerKind; readonly words: string }[] = [
  { kind: 'schedule', words: $localize`at set times` },
  { kind: 'every', words: $localize`again and again, a while after it ended` },
  { kind: 'after', words: $localize`when another plan has ended` },
  { kind: 'file', words: $localize`when a file has arrived` },
  { kind: 'arrival', words: $localize`when a record comes by itself` },
  { kind: 'call', words: $localize`when it is called from outside` },
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
          <vs-field label="Seconds after it ended" i18n-label help="from 1 second to a year (31,622,400)" i18n-help
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
            <vs-field label="Plan" i18n-label>
              <nz-select
                nzId="after-plan"
                aria-label="Plan"
                i18n-aria-label
                nzShowSearch
                [ngModel]="t.plan"
                (ngModelChange)="put(t, { plan: $event })"
              >
                @for (p of others(); track p.id) {
                  <nz-option [nzValue]="p.id" [nzLabel]="p.name" />
                }
              </nz-select>
            </vs-field>
            <vs-field label="When it has ended" i18n-label>
              <nz-select
                nzId="after-on"
                aria-label="When it has ended"
                i18n-aria-label
                [ngModel]="t.on"
                (ngModelChange)="put(t, { on: $event })"
              >
                <nz-option nzValue="success" nzLabel="well" i18n-nzLabel />
                <nz-option nzValue="failure" nzLabel="badly" i18n-nzLabel />
                <nz-option nzValue="either" nzLabel="in whatever way" i18n-nzLabel />
              </nz-select>
            </vs-field>
          </div>
        }
        @case ('arrival') {
          <vs-field
            label="Delivered to"
            i18n-label
            help="what is there already counts as arrived; each delivery is taken once"
            i18n-help
          >
            <nz-select
              nzId="arrival-dataset"
              aria-label="Delivered to"
              i18n-aria-label
              [ngModel]="t.dataset"
              (ngModelChange)="put(t, { dataset: $event })"
            >
              @for (d of arriving('deliveries'); track d) {
                <nz-option [nzValue]="d" [nzLabel]="d" />
              }
            </nz-select>
          </vs-field>
        }
        @case ('file') {
          <div class="row">
            <vs-field
              label="Files"
              i18n-label
              help="what lies there already counts as arrived; each file is taken once"
              i18n-help
            >
              <nz-select
                nzId="file-dataset"
                aria-label="Files"
                i18n-aria-label
                [ngModel]="t.dataset"
                (ngModelChange)="put(t, { dataset: $event })"
              >
                @for (d of arriving('files'); track d) {
                  <nz-option [nzValue]="d" [nzLabel]="d" />
                }
              </nz-select>
            </vs-field>
            <vs-field label="Whole when unchanged for" i18n-label help="such as 30 s, 5 min" i18n-help
              ><input class="input mono" [value]="t.settled" (vsWritten)="put(t, { settled: $event.trim() })"
            /></vs-field>
            <vs-field label="Afterwards" i18n-label help="keep, mark, or move:folder" i18n-help
              ><input class="input mono" [value]="t.then" (vsWritten)="put(t, { then: $event.trim() })"
            /></vs-field>
          </div>
        }
        @case ('call') {
          <p i18n class="soft">
            Whoever has a key for it starts it with <code>POST /api/plans/{{ id() }}/start</code>, or on the command
            line with <code>versicle plans start {{ id() }}</code
            >.
          </p>
        }
      }
      <button i18n type="button" class="btn" (click)="changed.emit(without())">Take this start away</button>
    } @else {
      <p i18n class="soft">What starts it besides people, who always can?</p>
      <div class="row">
        @for (k of kinds; track k.kind) {
          <button type="button" class="btn" [disabled]="!offered(k.kind)" (click)="add(k.kind)">
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

  private readonly mappingList = inject(Store).selectSignal(mappingsFeature.selectMappings);
  private readonly systemList = inject(Store).selectSignal(systemsFeature.selectSystems);
  /** What the plan's mappings read from systems to which such things come: where it can arrive. */
  protected arriving(what: 'files' | 'deliveries'): string[] {
    const used = mappingsOf(this.plan());
    const systems = (this.systemList().value ?? []).filter((s) => s.facts.arrives === what).map((s) => s.id);
    const read = (this.mappingList().value ?? [])
      .filter((m) => used.includes(m.id))
      .flatMap((m) => [m.source, ...m.further])
      // A part of a file arrives with its file.
      .map((d) => d.split('/').slice(0, 2).join('/'));
    return [...new Set(read)].filter((d) => systems.includes(d.split('/')[0]!));
  }
  protected offered(kind: TriggerKind): boolean {
    if (kind === 'after') return this.others().length > 0;
    return kind === 'file'
      ? this.arriving('files').length > 0
      : kind !== 'arrival' || this.arriving('deliveries').length > 0;
  }

  protected add(kind: TriggerKind): void {
    const { timeZone } = Intl.DateTimeFormat().resolvedOptions();
    const trigger = newTrigger(kind, this.plan(), timeZone, this.others()[0]?.id ?? null, {
      file: this.arriving('files')[0] ?? '',
      arrival: this.arriving('deliveries')[0] ?? '',
    });
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
