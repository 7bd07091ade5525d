import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { WaitingForSystem } from '@versicle/contract';
import { durationWords, FullTimePipe, TimePipe } from '../shared/words';

/** What the template says in one case or another. */
const PHRASES = {
  none: $localize`none`,
};

/** What a target answered lately, the newest first. */
@Component({
  selector: 'vs-answers',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, TimePipe, FullTimePipe],
  template: `
    <h2 i18n>Last answers</h2>
    <ul>
      @for (a of of(); track $index) {
        <li>
          <span class="status" [class.bad]="isBad(a.status)">{{ a.status ?? phrases.none }}</span>
          <span class="asked mono" [title]="a.asked">{{ a.asked }}</span>
          <small>
            <span [title]="a.at | fullTime">{{ a.at | time }}</span> · {{ duration(a.millis) }}
            @if (a.run !== null) {
              · <a i18n [routerLink]="['/runs', a.run]">run {{ a.run }}</a>
            }
          </small>
          @if (a.message) {
            <p class="mono">{{ a.message }}</p>
          }
        </li>
      } @empty {
        <li i18n class="soft">Nothing was sent to it lately.</li>
      }
    </ul>
  `,
  styles: `
    ul {
      list-style: none;
      margin: 0;
      padding: 0;
    }
    li {
      display: grid;
      grid-template-columns: 44px minmax(0, 1fr);
      gap: 1px 8px;
      padding: 6px 0;
      border-top: 1px solid var(--hair);
    }
    li.soft {
      display: block;
    }
    .status {
      font: 600 13.4px var(--mono);
      color: var(--done);
    }
    .status.bad {
      color: var(--rubric);
    }
    .asked {
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    small,
    p {
      grid-column: 2;
      color: var(--ink-2);
    }
    p {
      font-size: 12.2px;
      margin: 0;
      max-height: 54px;
      overflow: hidden;
      overflow-wrap: anywhere;
    }
  `,
})
export class AnswersComponent {
  protected readonly phrases = PHRASES;
  readonly of = input.required<WaitingForSystem['answers']>();
  protected readonly duration = durationWords;
  protected readonly isBad = (status: number | null): boolean => status === null || status >= 300;
}
