import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { Today } from '@versicle/contract';
import { clockWords, durationWords, minuteWords, timeWords } from '../shared/words';

const HOUR = 3_600_000;
const PAST = 24;
const AHEAD = 12;

/** The past 24 hours and the next twelve as a thin strip, a lane for each plan. */
@Component({
  selector: 'vs-day-strip',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink],
  template: `
    <div class="strip" [style.height.px]="26 + lanes().length * 18">
      @for (lane of lanes(); track lane.plan; let i = $index) {
        <a class="name" [routerLink]="['/plans', lane.plan]" [style.top.px]="5 + i * 18" [title]="lane.name">{{
          lane.name
        }}</a>
      }
      <div class="area">
        @for (lane of lanes(); track lane.plan; let i = $index) {
          @for (due of lane.due; track due.left) {
            <i
              class="due"
              role="img"
              [style.top.px]="8 + i * 18"
              [style.left.%]="due.left"
              [title]="due.words"
              [attr.aria-label]="due.words"
            ></i>
          }
          @for (bar of lane.bars; track bar.run) {
            <a
              [routerLink]="['/runs', bar.run]"
              [class]="bar.look"
              [style.top.px]="8 + i * 18"
              [style.left.%]="bar.left"
              [style.width.%]="bar.width"
              [title]="bar.words"
              [attr.aria-label]="bar.words"
            ></a>
          }
        }
        <div class="now" [style.left.%]="nowAt"></div>
        @for (mark of marks(); track mark.left) {
          <span class="h" [class.rub]="mark.now" [style.left.%]="mark.left">{{ mark.text }}</span>
        }
      </div>
    </div>
  `,
  styles: `
    .strip {
      position: relative;
      border-top: 1px solid var(--line);
      border-bottom: 1px solid var(--line);
      margin: 2px 0 18px;
    }
    .h {
      position: absolute;
      bottom: 2px;
      font: 11.5px var(--mono);
      color: var(--ink-3);
      padding-left: 4px;
    }
    .h.rub {
      color: var(--ink);
      font-weight: 600;
    }
    .area {
      position: absolute;
      inset: 0 0 0 176px;
    }
    .name {
      position: absolute;
      left: 0;
      width: 168px;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
      font-size: 12px;
      color: var(--ink-3);
      text-decoration: none;
    }
    .name:hover {
      color: var(--act);
    }
    .due {
      position: absolute;
      width: 7px;
      height: 10px;
      border: 1px dashed var(--ink-3);
    }
    .now {
      position: absolute;
      top: 0;
      bottom: 0;
      border-left: 1.5px solid var(--ink);
    }
    .area a {
      position: absolute;
      height: 10px;
      min-width: 7px;
      border-radius: 1px;
      background: var(--ink-2);
    }
    .area a.bad {
      background: repeating-linear-gradient(135deg, var(--rubric) 0 3px, transparent 3px 5px);
      outline: 1px solid var(--rubric);
    }
    .area a.run {
      background: linear-gradient(90deg, var(--act) 60%, var(--act-wash) 60%);
    }
  `,
})
export class DayStripComponent {
  readonly today = input.required<Today>();
  protected readonly nowAt = (PAST / (PAST + AHEAD)) * 100;
  private readonly from = computed(() => Date.parse(this.today().now) - PAST * HOUR);

  private at(iso: string): number {
    return ((Date.parse(iso) - this.from()) / ((PAST + AHEAD) * HOUR)) * 100;
  }
  protected readonly lanes = computed(() => {
    const { day, due, now } = this.today();
    const plans = new Map([...due, ...day].map((d) => [d.plan, d.planName]));
    return [...plans].map(([plan, name]) => {
      const runs = day.filter((d) => d.plan === plan);
      return {
        plan,
        name,
        due: due
          .filter((d) => d.plan === plan)
          .map((d) => ({ left: this.at(d.at), words: $localize`${name} is due ${timeWords(d.at)}` })),
        bars: runs.map((r) => {
          const left = Math.max(0, this.at(r.from));
          const bad = r.state === 'broken' || r.state === 'stopped';
          const took = Date.parse(r.to ?? now) - Date.parse(r.from);
          return {
            run: r.run,
            left,
            width: Math.max(0.1, this.at(r.to ?? now) - left),
            look: bad ? 'bad' : r.to === null ? 'run' : '',
            words: $localize`Run ${r.run}, ${r.planName}\: ${r.state}, began ${clockWords(r.from)}, ${r.to === null ? $localize`running for` : $localize`took`} ${durationWords(took)}, ${r.failed} failed`,
          };
        }),
      };
    });
  });
  protected readonly marks = computed(() => {
    const now = new Date(this.today().now);
    const marks = [{ left: this.nowAt, text: minuteWords(this.today().now), now: true }];
    const hour = new Date(now);
    hour.setMinutes(0, 0, 0);
    for (let back = 24; back >= -11; back -= 6) {
      const time = new Date(hour.getTime() - back * HOUR);
      const left = this.at(time.toISOString());
      if (left >= 0 && left < 96 && Math.abs(left - this.nowAt) > 6)
        marks.push({ left, text: minuteWords(time.toISOString()), now: false });
    }
    return marks;
  });
}
