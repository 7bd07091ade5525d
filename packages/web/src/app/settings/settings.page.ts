import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { FormsModule } from '@angular/forms';
import { Actions, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import type { ApiKey } from '@versicle/contract';
import { plansActions, plansFeature } from '../plans/plans.feature';
import { AskComponent } from '../shared/ask.component';
import { FieldComponent } from '../shared/form/field.component';
import { CellDirective } from '../shared/list/cell.directive';
import type { Column } from '../shared/list/column';
import { ListComponent } from '../shared/list/list.component';
import { SELECT } from '../shared/select';
import { FullTimePipe, TimePipe } from '../shared/words';
import { CalendarsComponent } from './calendars.component';
import { NotificationsComponent } from './notifications.component';
import { RetentionComponent } from './retention.component';
import { settingsActions, settingsFeature } from './settings.feature';
import { WorkersComponent } from './workers.component';

const RIGHTS = {
  read: $localize`look at everything`,
  start: $localize`start and end runs`,
  change: $localize`change everything`,
} as const;

/** What the template says in one case or another. */
const PHRASES = {
  copied: $localize`Copied`,
  copy: $localize`Copy`,
  takeBack: $localize`Take back `,
};

/** Keys by which programs ask: named, shown once, limited, taken back. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    AskComponent,
    CalendarsComponent,
    CellDirective,
    FieldComponent,
    FormsModule,
    FullTimePipe,
    ListComponent,
    NotificationsComponent,
    RetentionComponent,
    SELECT,
    TimePipe,
    WorkersComponent,
  ],
  template: `
    <div class="page">
      <vs-list
        heading="API keys"
        i18n-heading
        sentence="With a key, programs and the command line start plans and ask for runs from outside. Only its hash is kept here."
        i18n-sentence
        finds="Find a key"
        i18n-finds
        none="No key yet. Make one for each program that is to start plans, so that each can be taken back by itself."
        i18n-none
        [of]="keys()"
        [columns]="columns"
        [key]="id"
        [below]="asked()"
        (again)="load()"
      >
        <button
          i18n
          action
          type="button"
          class="btn first"
          (click)="adding.set(!adding())"
          [attr.aria-expanded]="adding()"
        >
          New key
        </button>
        @if (adding()) {
          <form above class="new" (ngSubmit)="make()" aria-label="New key" i18n-aria-label>
            <vs-field label="Name" i18n-label help="the program that uses it" i18n-help
              ><input class="input" name="name" maxlength="100" autocomplete="off" [(ngModel)]="name"
            /></vs-field>
            <vs-field label="It may" i18n-label>
              <nz-select name="may" nzId="may" aria-label="It may" i18n-aria-label nzMode="multiple" [(ngModel)]="may">
                @for (r of rights; track r) {
                  <nz-option [nzValue]="r" [nzLabel]="words(r)" />
                }
              </nz-select>
            </vs-field>
            <vs-field label="Plans that it may start" i18n-label help="empty: all of them" i18n-help>
              <nz-select
                name="plans"
                nzId="key-plans"
                aria-label="Plans that it may start"
                i18n-aria-label
                nzMode="multiple"
                [(ngModel)]="only"
              >
                @for (p of plans(); track p.id) {
                  <nz-option [nzValue]="p.id" [nzLabel]="p.name" />
                }
              </nz-select>
            </vs-field>
            <div class="acts">
              <button i18n type="submit" class="btn first" [disabled]="!name().trim() || may().length === 0">
                Make the key
              </button>
              <button i18n type="button" class="btn quiet" (click)="adding.set(false)">Give up</button>
            </div>
          </form>
        }
        @if (made(); as m) {
          <div above class="made" role="status">
            <p i18n>
              <b>{{ m.name }}</b> has this key. It is shown this once; keep it where that program finds it.
            </p>
            <p>
              <code>{{ m.key }}</code>
              <button type="button" class="btn" (click)="copy(m.key)">
                {{ copied() ? phrases.copied : phrases.copy }}
              </button>
            </p>
          </div>
        }
        @if (problem()) {
          <p above class="rub" role="alert">{{ problem() }}</p>
        }
        <ng-template vsCell="used" [like]="keys()" let-k>
          @if (k.usedAt !== null) {
            <span [title]="k.usedAt | fullTime">{{ k.usedAt | time }}</span>
          } @else {
            <span i18n class="dim">never</span>
          }
        </ng-template>
        <ng-template vsCell="back" [like]="keys()" let-k
          ><button
            i18n
            type="button"
            class="btn"
            (click)="asked.set(k.id)"
            [attr.aria-label]="phrases.takeBack + k.name"
          >
            Take back …
          </button></ng-template
        >
        <ng-template vsCell="below" [like]="keys()" let-k>
          <vs-ask
            i18n
            [about]="phrases.takeBack + k.name"
            does="Take it back"
            i18n-does
            (done)="takeBack(k)"
            (letBe)="asked.set(null)"
            >Whatever asks with the key <b>{{ k.name }}</b> is refused from then on; that can’t be undone.</vs-ask
          >
        </ng-template>
      </vs-list>
      <vs-calendars />
      <vs-notifications />
      <vs-workers />
      <vs-retention />
    </div>
  `,
  styles: `
    .new {
      display: grid;
      grid-template-columns: 220px 260px 300px auto;
      gap: 14px;
      align-items: start;
      background: var(--raised);
      border: 1px solid var(--hair);
      border-left: 3px solid var(--ink);
      padding: 14px 18px 4px;
      margin-bottom: 14px;
    }
    @media (max-width: 1180px) {
      .new {
        grid-template-columns: 1fr 1fr;
      }
    }
    .acts {
      padding-top: 20px;
      display: flex;
      gap: 8px;
    }
    nz-select {
      width: 100%;
    }
    .made {
      background: var(--act-wash);
      border-left: 3px solid var(--act);
      padding: 8px 14px;
      margin-bottom: 14px;
    }
    .made p {
      margin: 4px 0;
    }
    .made code {
      font-size: 14px;
      overflow-wrap: anywhere;
      margin-right: 10px;
    }
  `,
})
export class SettingsPage {
  protected readonly phrases = PHRASES;
  private readonly store = inject(Store);
  protected readonly keys = this.store.selectSignal(settingsFeature.selectKeys);
  protected readonly made = this.store.selectSignal(settingsFeature.selectMade);
  protected readonly problem = this.store.selectSignal(settingsFeature.selectProblem);
  private readonly planList = this.store.selectSignal(plansFeature.selectPlans);
  protected readonly plans = computed(() => this.planList().value ?? []);
  protected readonly rights = ['read', 'start', 'change'] as const;
  protected readonly adding = signal(false);
  protected readonly asked = signal<string | null>(null);
  protected readonly copied = signal(false);
  protected readonly name = signal('');
  protected readonly may = signal<ApiKey['may']>(['read', 'start']);
  protected readonly only = signal<string[]>([]);
  protected readonly id = (k: ApiKey): string => k.id;
  protected readonly columns: readonly Column<ApiKey>[] = [
    { key: 'name', title: $localize`Name`, class: 'name', value: (k) => k.name },
    { key: 'may', title: $localize`It may`, value: (k) => k.may.map((r) => RIGHTS[r]).join(', ') },
    { key: 'plans', title: $localize`Plans`, class: 'soft', value: (k) => k.plans?.join(', ') ?? 'all' },
    { key: 'by', title: $localize`Made by`, class: 'soft', value: (k) => k.madeBy },
    { key: 'used', title: $localize`Last used`, value: (k) => k.usedAt },
    { key: 'back', title: '', figures: true },
  ];

  constructor() {
    this.load();
    this.store.dispatch(plansActions.opened());
    // What was refused stays as it was written.
    inject(Actions)
      .pipe(ofType(settingsActions.keyMade), takeUntilDestroyed())
      .subscribe(() => {
        this.adding.set(false);
        this.copied.set(false);
        this.name.set('');
        this.only.set([]);
      });
    inject(DestroyRef).onDestroy(() => this.store.dispatch(settingsActions.left()));
  }
  protected load(): void {
    this.store.dispatch(settingsActions.opened());
  }
  protected words(right: keyof typeof RIGHTS): string {
    return RIGHTS[right];
  }
  protected make(): void {
    const plans = this.only();
    this.store.dispatch(
      settingsActions.makeKey({
        key: { name: this.name().trim(), may: this.may(), ...(plans.length > 0 ? { plans } : {}) },
      }),
    );
  }
  protected takeBack(key: ApiKey): void {
    this.asked.set(null);
    this.store.dispatch(settingsActions.takeBack({ id: key.id }));
  }
  protected copy(key: string): void {
    navigator.clipboard.writeText(key).then(
      () => this.copied.set(true),
      () => this.copied.set(false),
    );
  }
}
