import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { Actions, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import type { Calendar } from '@versicle/contract';
import { AskComponent } from '../shared/ask.component';
import { FieldComponent } from '../shared/form/field.component';
import { LoadingComponent } from '../shared/loading.component';
import { settingsActions, settingsFeature } from './settings.feature';

/** What the template says in one case or another. */
const PHRASES = {
  change: $localize`Change `,
  remove: $localize`Remove `,
  itsDayIs: $localize`Its day is`,
  its: $localize`Its `,
  daysAre: $localize` days are`,
};

/** Calendars: days on which plans are not due, or the only ones on which they are. */
@Component({
  selector: 'vs-calendars',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [AskComponent, FieldComponent, FormsModule, LoadingComponent, RouterLink],
  template: `
    <section aria-labelledby="calendars">
      <div class="top">
        <h2 i18n id="calendars">Calendars</h2>
        <span class="grow"></span>
        <button i18n type="button" class="btn" (click)="edit(null)">New calendar</button>
      </div>
      <p i18n class="soft">
        Days by their names, for schedules: left out (<i>except on public-holidays</i>), or the only ones.
      </p>
      <vs-loading [of]="calendars()" (again)="load()" />
      @if (problem()) {
        <p class="rub" role="alert">{{ problem() }}</p>
      }
      @if (editing()) {
        <form (ngSubmit)="save()" aria-label="Calendar" i18n-aria-label>
          <vs-field label="Name" i18n-label help="as plans name it, such as public-holidays" i18n-help
            ><input
              class="input"
              name="name"
              maxlength="100"
              autocomplete="off"
              [readOnly]="known()"
              [(ngModel)]="name"
          /></vs-field>
          <vs-field label="Days" i18n-label help="one a line, such as 2026-12-25; or give an iCalendar file" i18n-help>
            <textarea class="input mono" name="days" rows="6" [(ngModel)]="days"></textarea>
          </vs-field>
          <div class="acts">
            <button i18n type="submit" class="btn first" [disabled]="!name().trim() || !days().trim()">
              Keep the days
            </button>
            <label i18n class="btn" tabindex="0" (keydown.enter)="file.click()"
              >From an iCalendar file …
              <input
                #file
                class="visually-hidden"
                type="file"
                accept=".ics,text/calendar"
                tabindex="-1"
                (change)="readIn(file)"
            /></label>
            <button i18n type="button" class="btn quiet" (click)="editing.set(false)">Give up</button>
          </div>
        </form>
      }
      @for (c of calendars().value ?? []; track c.name) {
        <div class="line">
          <b>{{ c.name }}</b>
          <span class="soft">{{ about(c) }}</span>
          <span class="soft">
            @for (u of c.usedBy; track u.id) {
              <a [routerLink]="['/plans', u.id]">{{ u.name }}</a>
            } @empty {
              <ng-container i18n> used by no plan </ng-container>
            }
          </span>
          <span class="do">
            <button i18n type="button" class="btn quiet" (click)="edit(c)" [attr.aria-label]="phrases.change + c.name">
              Change
            </button>
            <button
              i18n
              type="button"
              class="btn quiet"
              (click)="asked.set(c.name)"
              [attr.aria-label]="phrases.remove + c.name"
            >
              Remove …
            </button>
          </span>
        </div>
        @if (asked() === c.name) {
          <vs-ask
            i18n
            [about]="phrases.remove + c.name"
            does="Remove it"
            i18n-does
            (done)="remove(c)"
            (letBe)="asked.set(null)"
            >{{ c.days.length === 1 ? phrases.itsDayIs : phrases.its + c.days.length + phrases.daysAre }} gone
            then.</vs-ask
          >
        }
      } @empty {
        @if (calendars().state === 'loaded' && !editing()) {
          <p i18n class="soft">No calendar yet.</p>
        }
      }
    </section>
  `,
  styles: `
    section {
      margin-top: 34px;
    }
    form {
      background: var(--raised);
      border: 1px solid var(--hair);
      border-left: 3px solid var(--ink);
      padding: 12px 18px;
      max-width: 560px;
    }
    .input {
      width: 100%;
    }
    .acts {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
    }
    .line {
      display: grid;
      grid-template-columns: 200px minmax(0, 1fr) minmax(0, 1fr) auto;
      gap: 14px;
      align-items: baseline;
      padding: 5px 0;
      border-bottom: 1px solid var(--hair);
    }
    @media (max-width: 800px) {
      .line {
        grid-template-columns: minmax(0, 1fr);
        gap: 2px;
      }
    }
  `,
})
export class CalendarsComponent {
  protected readonly phrases = PHRASES;
  private readonly store = inject(Store);
  protected readonly calendars = this.store.selectSignal(settingsFeature.selectCalendars);
  protected readonly problem = this.store.selectSignal(settingsFeature.selectCalendarProblem);
  protected readonly editing = signal(false);
  protected readonly asked = signal<string | null>(null);
  protected readonly name = signal('');
  protected readonly days = signal('');
  private readonly of = signal<string | null>(null);
  protected readonly known = computed(() => this.of() !== null);

  constructor() {
    this.load();
    // What was refused stays as it was written.
    inject(Actions)
      .pipe(ofType(settingsActions.calendarSaved), takeUntilDestroyed())
      .subscribe(() => this.editing.set(false));
  }
  protected load(): void {
    this.store.dispatch(settingsActions.calendarsOpened());
  }
  protected about(c: Calendar): string {
    const today = new Date().toISOString().slice(0, 10);
    const next = c.days.find((d) => d >= today);
    const count = `${c.days.length} ${c.days.length === 1 ? $localize`day` : $localize`days`}${c.from === 'icalendar' ? $localize`, from an iCalendar file` : ''}`;
    return next === undefined ? $localize`${count}; none from today on` : $localize`${count}; next ${next}`;
  }
  protected edit(c: Calendar | null): void {
    this.of.set(c?.name ?? null);
    this.name.set(c?.name ?? '');
    this.days.set(c?.days.join('\n') ?? '');
    this.editing.set(true);
  }
  protected save(): void {
    const days = this.days()
      .split(/[\s,;]+/)
      .filter(Boolean);
    this.store.dispatch(settingsActions.saveCalendar({ name: this.name().trim(), calendar: { days } }));
  }
  protected readIn(input: HTMLInputElement): void {
    const file = input.files?.[0];
    input.value = '';
    void file?.text().then((icalendar) => {
      const name = this.name().trim() || file.name.replace(/\.\w+$/, '');
      this.store.dispatch(settingsActions.saveCalendar({ name, calendar: { icalendar } }));
    });
  }
  protected remove(c: Calendar): void {
    this.asked.set(null);
    this.store.dispatch(settingsActions.removeCalendar({ name: c.name }));
  }
}
