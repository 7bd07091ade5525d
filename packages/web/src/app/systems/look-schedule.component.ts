import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import type { System } from '@versicle/contract';
import { SELECT } from '../shared/select';
import { WEEKDAYS } from '../shared/weekdays';
import { FullTimePipe, TimePipe } from '../shared/words';
import { systemsActions } from './systems.feature';

/** What the template says in one case or another. */
const PHRASES = {
  every: $localize`every `,
};

/** When all datasets of a system are looked at and profiled by themselves. */
@Component({
  selector: 'vs-look-schedule',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, SELECT, TimePipe, FullTimePipe],
  template: `
    <span class="when">
      <span i18n id="look-label">Looked at and profiled</span>
      <nz-select class="often" [ngModel]="often()" (ngModelChange)="choose($event)" aria-labelledby="look-label">
        <nz-option nzValue="never" nzLabel="on request" i18n-nzLabel />
        <nz-option nzValue="*" nzLabel="every day" i18n-nzLabel />
        @for (day of days; track day; let i = $index) {
          <nz-option [nzValue]="'' + i" [nzLabel]="phrases.every + day" />
        }
        @if (often() === 'other') {
          <nz-option nzValue="other" [nzLabel]="system().look!.cron" />
        }
      </nz-select>
      @if (system().look; as look) {
        <ng-container i18n>
          at
          <input
            #time
            class="input mono at"
            type="time"
            aria-label="Time of day"
            i18n-aria-label
            [value]="at()"
            (change)="keep(time.value)"
          />
          <span class="soft"
            >{{ look.zone }}
            @if (look.next) {
              , next <span [title]="look.next | fullTime">{{ look.next | time }}</span>
            }
          </span>
        </ng-container>
      }
    </span>
  `,
  styles: `
    .when {
      display: inline-flex;
      align-items: center;
      gap: 8px;
    }
    .often {
      width: 150px;
    }
    .at {
      width: 96px;
    }
  `,
})
export class LookScheduleComponent {
  protected readonly phrases = PHRASES;
  readonly system = input.required<System>();
  private readonly store = inject(Store);
  protected readonly days = WEEKDAYS;
  private readonly parts = computed(() => {
    const found = /^(\d+) (\d+) \* \* (\*|[0-6])$/.exec(this.system().look?.cron ?? '');
    return found && { minute: Number(found[1]), hour: Number(found[2]), day: found[3]! };
  });
  protected readonly often = computed(() =>
    this.system().look === null ? $localize`never` : (this.parts()?.day ?? 'other'),
  );
  protected readonly at = computed(() => {
    const { hour, minute } = this.parts() ?? { hour: 5, minute: 0 };
    return `${String(hour).padStart(2, '0')}:${String(minute).padStart(2, '0')}`;
  });

  protected choose(often: string): void {
    if (often === 'never') this.set(null);
    else if (often !== 'other') this.set({ day: often, at: this.at() });
  }
  protected keep(at: string): void {
    if (/^\d\d:\d\d$/.test(at)) this.set({ day: this.parts()?.day ?? '*', at });
  }
  private set(wanted: { day: string; at: string } | null): void {
    const { id, look } = this.system();
    const zone = look?.zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone;
    const schedule = wanted && {
      cron: `${Number(wanted.at.slice(3))} ${Number(wanted.at.slice(0, 2))} * * ${wanted.day}`,
      zone,
    };
    this.store.dispatch(systemsActions.scheduleLook({ id, schedule }));
  }
}
