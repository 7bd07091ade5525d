import { ChangeDetectionStrategy, Component, computed, inject, linkedSignal, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { Notification, NotificationSetting } from '@versicle/contract';
import { systemsActions, systemsFeature } from '../systems/systems.feature';
import { FieldComponent } from '../shared/form/field.component';
import { LoadingComponent } from '../shared/loading.component';
import { SELECT } from '../shared/select';
import { FullTimePipe, TimePipe } from '../shared/words';
import { settingsActions, settingsFeature } from './settings.feature';

const STATES: Readonly<Record<Notification['state'], string>> = {
  waiting: $localize`waits`,
  sent: $localize`sent`,
  'given up': $localize`given up`,
  seen: $localize`seen`,
};

/** What the template says in one case or another. */
const PHRASES = {
  signWebhooksAnew: $localize`Sign webhooks anew`,
  signWebhooks: $localize`Sign webhooks`,
  everybodyHere: $localize`everybody here`,
};

/** How people are told of plans: by which mail server, in which hours, and what they were told last. */
@Component({
  selector: 'vs-notifications',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, FormsModule, FullTimePipe, LoadingComponent, RouterLink, SELECT, TimePipe],
  template: `
    <section aria-labelledby="notifications">
      <h2 i18n id="notifications">Notifications</h2>
      <p i18n class="soft">
        Who is told of what stands in each plan. One message for one matter, and one when it is over.
      </p>
      <vs-loading [of]="loading()" (again)="load()" />
      @if (loading().value) {
        <form (ngSubmit)="save()" aria-label="Notifications" i18n-aria-label>
          <div class="row">
            <vs-field label="Mail goes by" i18n-label [help]="mailHelp()">
              <nz-select nzId="mail-system" aria-label="Mail goes by" i18n-aria-label name="mail" [(ngModel)]="mail">
                <nz-option nzValue="" nzLabel="the only one there is" i18n-nzLabel />
                @for (s of mailSystems(); track s.id) {
                  <nz-option [nzValue]="s.id" [nzLabel]="s.name" />
                }
              </nz-select>
            </vs-field>
            <vs-field label="Tell again after, hours" i18n-label help="while it still is not well" i18n-help
              ><input class="input mono narrow" type="number" min="1" max="8760" name="digest" [(ngModel)]="digest"
            /></vs-field>
            <vs-field label="Quiet hours from" i18n-label help="such as 22:00; empty: never" i18n-help
              ><input class="input mono narrow" name="from" [(ngModel)]="from"
            /></vs-field>
            <vs-field label="to" i18n-label><input class="input mono narrow" name="to" [(ngModel)]="to" /></vs-field>
            <vs-field label="in the zone" i18n-label
              ><input class="input mono zone" name="zone" spellcheck="false" [(ngModel)]="zone"
            /></vs-field>
          </div>
          <div class="row">
            <vs-field
              class="wide"
              label="Links lead to"
              i18n-label
              help="where people open Versicle; empty: where it listens"
              i18n-help
              ><input class="input mono" name="address" spellcheck="false" [(ngModel)]="address"
            /></vs-field>
            <button i18n type="submit" class="btn first">Keep this</button>
            <button type="button" class="btn" (click)="makeSecret()">
              {{ loading().value!.signed ? phrases.signWebhooksAnew : phrases.signWebhooks }}
            </button>
          </div>
        </form>
        <form class="row" (ngSubmit)="tryIt()" aria-label="Try whether messages arrive" i18n-aria-label>
          <vs-field
            class="wide"
            label="Try whether a message arrives"
            i18n-label
            help="an address of mail, or of the web"
            i18n-help
            ><input class="input mono" name="try" spellcheck="false" autocomplete="off" [(ngModel)]="receiver"
          /></vs-field>
          <button i18n type="submit" class="btn" [disabled]="!receiver().trim()">Send one</button>
        </form>
      }
      @if (secret(); as s) {
        <p i18n class="made" role="status">
          Webhooks are signed with this from now on. It is shown this once: <code>{{ s }}</code>
        </p>
      }
      @if (said(); as s) {
        <p role="status">{{ s }}</p>
      }
      @if (problem(); as p) {
        <p class="rub" role="alert">{{ p }}</p>
      }
      @if (messages().length > 0) {
        <table class="rows">
          <thead>
            <tr>
              <th i18n scope="col">Message</th>
              <th i18n scope="col">To</th>
              <th i18n scope="col">State</th>
              <th i18n scope="col" class="n">When</th>
            </tr>
          </thead>
          <tbody>
            @for (m of messages(); track m.id) {
              <tr>
                <td class="name">
                  <a [routerLink]="m.run === null ? ['/plans', m.plan] : ['/runs', m.run]">{{ m.subject }}</a>
                </td>
                <td class="soft">{{ m.means === 'application' ? phrases.everybodyHere : m.receiver }}</td>
                <td [class.rub]="m.problem !== null" [title]="m.problem ?? ''">{{ state(m) }}</td>
                <td class="n">
                  <span [title]="m.createdAt | fullTime">{{ m.createdAt | time }}</span>
                </td>
              </tr>
            }
          </tbody>
        </table>
      }
    </section>
  `,
  styles: `
    section {
      margin-top: 34px;
    }
    form {
      margin-top: 10px;
    }
    .row {
      display: flex;
      flex-wrap: wrap;
      gap: 0 14px;
    }
    .row .btn {
      align-self: flex-start;
      margin-top: 20px;
    }
    nz-select {
      min-width: 210px;
    }
    .narrow {
      width: 80px;
    }
    .zone {
      width: 170px;
    }
    .wide {
      flex: 0 1 380px;
    }
    .wide .input {
      width: 100%;
    }
    .made code {
      overflow-wrap: anywhere;
    }
    table {
      margin-top: 12px;
    }
  `,
})
export class NotificationsComponent {
  protected readonly phrases = PHRASES;
  private readonly store = inject(Store);
  protected readonly loading = this.store.selectSignal(settingsFeature.selectSetting);
  protected readonly secret = this.store.selectSignal(settingsFeature.selectSecret);
  protected readonly said = this.store.selectSignal(settingsFeature.selectSaid);
  protected readonly problem = this.store.selectSignal(settingsFeature.selectNotificationProblem);
  private readonly list = this.store.selectSignal(settingsFeature.selectMessages);
  private readonly systems = this.store.selectSignal(systemsFeature.selectSystems);
  protected readonly messages = computed(() => (this.list().value ?? []).slice(0, 20));
  protected readonly mailSystems = computed(() =>
    (this.systems().value ?? []).filter((s) => s.connection.kind === 'mail'),
  );
  protected readonly mailHelp = computed(() =>
    this.mailSystems().length === 0 ? $localize`connect a mail server under Systems first` : '',
  );
  private kept<T>(of: (setting: NotificationSetting | null) => T) {
    return linkedSignal(() => of(this.loading().value ?? null));
  }
  protected readonly mail = this.kept((s) => s?.mailSystem ?? '');
  protected readonly digest = this.kept((s) => s?.digestHours ?? 24);
  protected readonly from = this.kept((s) => s?.quiet?.from ?? '');
  protected readonly to = this.kept((s) => s?.quiet?.to ?? '');
  protected readonly zone = this.kept((s) => s?.quiet?.zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone);
  protected readonly address = this.kept((s) => s?.address ?? '');
  protected readonly receiver = signal('');

  constructor() {
    this.load();
    this.store.dispatch(systemsActions.opened());
  }
  protected load(): void {
    this.store.dispatch(settingsActions.settingOpened());
    this.store.dispatch(settingsActions.messagesOpened());
  }
  protected state({ state, next, problem }: Notification): string {
    if (state !== 'waiting' || next === null) return STATES[state];
    return problem === null ? $localize`is sent when the quiet hours end` : $localize`is tried again`;
  }
  protected save(): void {
    const [from, to] = [this.from().trim(), this.to().trim()];
    this.store.dispatch(
      settingsActions.saveSetting({
        setting: {
          mailSystem: this.mail() || null,
          digestHours: Math.trunc(Number(this.digest())) || 0,
          quiet: from === '' && to === '' ? null : { from, to, zone: this.zone().trim() },
          address: this.address().trim() || null,
        },
      }),
    );
  }
  protected makeSecret(): void {
    this.store.dispatch(settingsActions.makeSecret());
  }
  protected tryIt(): void {
    const to = this.receiver().trim();
    this.store.dispatch(settingsActions.tryMessage({ means: /^https?:/i.test(to) ? 'webhook' : 'mail', to }));
  }
}
