import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { cronOf, cronParts, cronWords, type CronParts, type Trigger } from '@versicle/core';
import { FieldComponent } from '../shared/form/field.component';
import { GIVEN } from '../shared/given';
import { Store } from '@ngrx/store';
import { settingsActions, settingsFeature } from '../settings/settings.feature';
import { SELECT } from '../shared/select';
import { WEEKDAYS } from '../shared/weekdays';

type Schedule = Extract<Trigger, { kind: 'schedule' }>;
type Every = CronParts['every'] | 'cron';
const ZONES: readonly string[] = ['UTC', ...Intl.supportedValuesOf('timeZone').filter((z) => z !== 'UTC')];

/** What the template says in one case or another. */
const PHRASES = {
  everyMinute: $localize`every minute`,
  every: $localize`every `,
};

/** When a schedule is due: chosen in plain words, or written as cron where the words can't say it. */
@Component({
  selector: 'vs-schedule-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, FormsModule, GIVEN, SELECT],
  template: `
    <div class="row">
      <vs-field label="How often" i18n-label>
        <nz-select
          nzId="how-often"
          aria-label="How often"
          i18n-aria-label
          [ngModel]="every()"
          (ngModelChange)="choose($event)"
        >
          <nz-option nzValue="minutes" nzLabel="every so many minutes" i18n-nzLabel />
          <nz-option nzValue="hour" nzLabel="each hour" i18n-nzLabel />
          <nz-option nzValue="day" nzLabel="each day" i18n-nzLabel />
          <nz-option nzValue="week" nzLabel="on days of the week" i18n-nzLabel />
          <nz-option nzValue="month" nzLabel="each month" i18n-nzLabel />
          <nz-option nzValue="year" nzLabel="each year" i18n-nzLabel />
          <nz-option nzValue="cron" nzLabel="as a cron says" i18n-nzLabel />
        </nz-select>
      </vs-field>
      @if (every() === 'cron') {
        <vs-field label="Cron" i18n-label [help]="words()">
          <input class="input mono" [value]="schedule().cron" (vsWritten)="cron($event)" spellcheck="false" />
        </vs-field>
      }
      @if (parts(); as p) {
        @if (p.every === 'minutes') {
          <vs-field label="Minutes" i18n-label>
            <nz-select
              nzId="minutes"
              aria-label="Minutes"
              i18n-aria-label
              [ngModel]="p.step"
              (ngModelChange)="set({ every: 'minutes', step: $event })"
            >
              @for (n of [1, 2, 5, 10, 15, 20, 30]; track n) {
                <nz-option [nzValue]="n" [nzLabel]="n === 1 ? phrases.everyMinute : phrases.every + n" />
              }
            </nz-select>
          </vs-field>
        }
        @if (p.every === 'hour') {
          <vs-field label="Minutes past" i18n-label
            ><input
              class="input mono narrow"
              type="number"
              min="0"
              max="59"
              [value]="p.minute"
              (vsWritten)="set({ every: 'hour', minute: whole($event, 0, 59) })"
          /></vs-field>
        }
        @if (p.every === 'month') {
          <vs-field label="Day of the month" i18n-label help="1 to 31, or L for the last" i18n-help
            ><input
              class="input mono narrow"
              [value]="p.day"
              (vsWritten)="set({ every: 'month', day: day($event), hour: p.hour, minute: p.minute })"
          /></vs-field>
        }
        @if (p.every === 'year') {
          <vs-field label="Day" i18n-label
            ><input
              class="input mono narrow"
              type="number"
              min="1"
              max="31"
              [value]="p.day"
              (vsWritten)="
                set({ every: 'year', month: p.month, day: whole($event, 1, 31), hour: p.hour, minute: p.minute })
              "
          /></vs-field>
          <vs-field label="Month" i18n-label
            ><input
              class="input mono narrow"
              type="number"
              min="1"
              max="12"
              [value]="p.month"
              (vsWritten)="
                set({ every: 'year', month: whole($event, 1, 12), day: p.day, hour: p.hour, minute: p.minute })
              "
          /></vs-field>
        }
        @if (time(); as at) {
          <vs-field label="At" i18n-label
            ><input class="input mono time" type="time" [value]="at" (vsWritten)="setTime($event)"
          /></vs-field>
        }
      }
      <vs-field label="Time zone" i18n-label>
        <nz-select
          class="zone"
          nzId="zone"
          aria-label="Time zone"
          i18n-aria-label
          nzShowSearch
          [ngModel]="schedule().zone"
          (ngModelChange)="changed.emit({ zone: $event })"
        >
          @for (zone of zones; track zone) {
            <nz-option [nzValue]="zone" [nzLabel]="zone" />
          }
        </nz-select>
      </vs-field>
    </div>
    @if (parts(); as p) {
      @if (p.every === 'week') {
        <fieldset>
          <legend i18n>Days</legend>
          @for (name of days; track name; let i = $index) {
            <label
              ><input type="checkbox" [checked]="p.days.includes(i)" (vsTicked)="setDay(i, $event)" /> {{ name }}</label
            >
          }
        </fieldset>
      }
    }
    @if (calendars().length > 0) {
      <div class="row">
        <vs-field label="Except on" i18n-label>
          <nz-select
            nzId="except"
            aria-label="Except on"
            i18n-aria-label
            nzMode="multiple"
            [ngModel]="schedule().except"
            (ngModelChange)="changed.emit({ except: $event })"
          >
            @for (c of calendars(); track c.name) {
              <nz-option [nzValue]="c.name" [nzLabel]="c.name" />
            }
          </nz-select>
        </vs-field>
        <vs-field label="Only on" i18n-label>
          <nz-select
            nzId="only"
            aria-label="Only on"
            i18n-aria-label
            nzMode="multiple"
            [ngModel]="schedule().only"
            (ngModelChange)="changed.emit({ only: $event })"
          >
            @for (c of calendars(); track c.name) {
              <nz-option [nzValue]="c.name" [nzLabel]="c.name" />
            }
          </nz-select>
        </vs-field>
      </div>
    }
    <vs-field label="Times that passed while nothing could run" i18n-label>
      <nz-select
        nzId="missed"
        aria-label="Times that passed while nothing could run"
        i18n-aria-label
        [ngModel]="schedule().missed"
        (ngModelChange)="changed.emit({ missed: $event })"
      >
        <nz-option nzValue="once" nzLabel="are caught up once" i18n-nzLabel />
        <nz-option nzValue="each" nzLabel="are caught up one by one" i18n-nzLabel />
        <nz-option nzValue="skip" nzLabel="are left out" i18n-nzLabel />
      </nz-select>
    </vs-field>
  `,
  styles: `
    .row {
      display: flex;
      flex-wrap: wrap;
      gap: 0 14px;
      align-items: start;
    }
    nz-select {
      min-width: 190px;
    }
    .narrow {
      width: 84px;
    }
    .time {
      width: 108px;
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
      padding: 0;
      float: left;
      margin: 0 14px 0 0;
      color: var(--ink-2);
    }
  `,
})
export class ScheduleEditorComponent {
  protected readonly phrases = PHRASES;
  private readonly store = inject(Store);
  private readonly loaded = this.store.selectSignal(settingsFeature.selectCalendars);
  protected readonly calendars = computed(() => this.loaded().value ?? []);
  constructor() {
    this.store.dispatch(settingsActions.calendarsOpened());
  }
  readonly schedule = input.required<Schedule>();
  readonly changed = output<Partial<Schedule>>();
  protected readonly days = WEEKDAYS;
  protected readonly zones = ZONES;
  private readonly kept = computed(() => this.schedule().cron);
  /** Chosen here, it stays while other things of the schedule are kept. */
  protected readonly every = linkedSignal<Every>(() => cronParts(this.kept())?.every ?? 'cron');
  protected readonly parts = computed(() => {
    const parts = cronParts(this.schedule().cron);
    return parts?.every === this.every() ? parts : null;
  });
  protected readonly words = computed(
    () => cronWords(this.schedule().cron) ?? $localize`minute, hour, day, month, weekday; * means each, L the last day`,
  );
  protected readonly time = computed(() => {
    const p = this.parts();
    const two = (n: number): string => String(n).padStart(2, '0');
    return p && 'hour' in p ? `${two(p.hour)}:${two(p.minute)}` : null;
  });

  protected choose(every: Every): void {
    this.every.set(every);
    if (every === 'cron') return;
    const before = cronParts(this.schedule().cron);
    const at = before && 'hour' in before ? { hour: before.hour, minute: before.minute } : { hour: 6, minute: 0 };
    const made: Record<Exclude<Every, 'cron'>, CronParts> = {
      minutes: { every: 'minutes', step: 15 },
      hour: { every: 'hour', minute: 0 },
      day: { every: 'day', ...at },
      week: { every: 'week', days: [1, 2, 3, 4, 5], ...at },
      month: { every: 'month', day: 1, ...at },
      year: { every: 'year', month: 1, day: 1, ...at },
    };
    if (before?.every !== every) this.set(made[every]);
  }
  protected set(parts: CronParts): void {
    this.changed.emit({ cron: cronOf(parts) });
  }
  protected cron(text: string): void {
    this.changed.emit({ cron: text.trim() });
  }
  protected setTime(text: string): void {
    const p = this.parts();
    const [hour, minute] = text.split(':').map(Number);
    if (p && 'hour' in p && hour !== undefined && minute !== undefined && !Number.isNaN(hour + minute))
      this.set({ ...p, hour, minute });
  }
  protected setDay(day: number, is: boolean): void {
    const p = this.parts();
    if (p?.every !== 'week') return;
    const days = is ? [...new Set([...p.days, day])].sort() : p.days.filter((d) => d !== day);
    if (days.length > 0) this.set({ ...p, days });
  }
  protected whole(text: string, least: number, most: number): number {
    return Math.min(most, Math.max(least, Math.trunc(Number(text)) || least));
  }
  protected day(text: string): number | 'L' {
    return /^l$/i.test(text.trim()) ? 'L' : this.whole(text, 1, 31);
  }
}
