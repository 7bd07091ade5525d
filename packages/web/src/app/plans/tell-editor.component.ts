import { ChangeDetectionStrategy, Component, computed, input, linkedSignal, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import { TELL_ON, type PlanDocument } from '@versicle/core';
import { FieldComponent } from '../shared/form/field.component';
import { GIVEN } from '../shared/given';
import { SELECT } from '../shared/select';

type Tell = PlanDocument['tell'][number];
const OF: Readonly<Record<Tell['on'][number], string>> = {
  failed: $localize`records fail`,
  stopped: $localize`it stops`,
  late: $localize`it is late`,
  warnings: $localize`there are remarks`,
  recovered: $localize`it runs well again`,
  finished: $localize`it has ended`,
};

/** What the template says in one case or another. */
const PHRASES = {
  whoIsTold: $localize`Who is told, `,
  addressesWithCommasBetween: $localize`addresses, with commas between them`,
  addressesThatTakeA: $localize`addresses that take a POST with JSON`,
  operationsExampleOrg: $localize`operations@example.org`,
  httpsChatExampleOrg: $localize`https://chat.example.org/larkway`,
  somebodyElse: $localize`somebody else`,
  somebody: $localize`somebody`,
};

/** Who is told of what, and by when a run has to have ended well. */
@Component({
  selector: 'vs-tell-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FieldComponent, FormsModule, GIVEN, RouterLink, SELECT],
  template: `
    @for (t of all(); track $index) {
      <div class="row" role="group" [attr.aria-label]="phrases.whoIsTold + ($index + 1)">
        <vs-field label="Told by" i18n-label>
          <nz-select
            [nzId]="'tell-by-' + $index"
            aria-label="Told by"
            i18n-aria-label
            [ngModel]="t.by"
            (ngModelChange)="put($index, { by: $event })"
          >
            <nz-option nzValue="application" nzLabel="a message on Today" i18n-nzLabel />
            <nz-option nzValue="mail" nzLabel="mail" i18n-nzLabel />
            <nz-option nzValue="webhook" nzLabel="webhook" i18n-nzLabel />
          </nz-select>
        </vs-field>
        @if (t.by !== 'application') {
          <vs-field
            class="wide"
            label="To"
            i18n-label
            [help]="t.by === 'mail' ? phrases.addressesWithCommasBetween : phrases.addressesThatTakeA"
            ><input
              class="input mono"
              autocomplete="off"
              spellcheck="false"
              [value]="t.to.join(', ')"
              [attr.placeholder]="t.by === 'mail' ? phrases.operationsExampleOrg : phrases.httpsChatExampleOrg"
              (vsWritten)="put($index, { to: listOf($event) })"
          /></vs-field>
        }
        <vs-field class="wide" label="When" i18n-label>
          <nz-select
            [nzId]="'tell-on-' + $index"
            aria-label="When"
            i18n-aria-label
            nzMode="multiple"
            [ngModel]="t.on"
            (ngModelChange)="put($index, { on: $event })"
          >
            @for (o of ON; track o) {
              <nz-option [nzValue]="o" [nzLabel]="words(o)" />
            }
          </nz-select>
        </vs-field>
        <button i18n type="button" class="btn quiet" (click)="remove($index)">Leave out</button>
      </div>
    }
    <div class="row">
      <button i18n type="button" class="btn" (click)="add()">
        Tell {{ all().length > 0 ? phrases.somebodyElse : phrases.somebody }}
      </button>
      <vs-field
        label="It has to have ended well"
        i18n-label
        help="by a time such as 07:30, or within 2 h; empty: whenever"
        i18n-help
        ><input
          class="input mono narrow"
          [value]="plan().expected ?? ''"
          (vsWritten)="changed.emit({ expected: $event.trim() || undefined })"
          spellcheck="false"
      /></vs-field>
    </div>
    <p i18n class="soft">
      One message for one matter, and one when it is over. Mail server, quiet hours and signing stand in
      <a routerLink="/settings">Settings</a>.
    </p>
  `,
  styles: `
    .row {
      display: flex;
      flex-wrap: wrap;
      gap: 0 14px;
    }
    .btn {
      align-self: flex-start;
      margin-top: 20px;
    }
    .row + .row {
      border-top: 1px solid var(--hair);
      padding-top: 8px;
    }
    nz-select {
      min-width: 190px;
    }
    .wide {
      flex: 1 1 240px;
    }
    .wide .input,
    .wide nz-select {
      width: 100%;
    }
    .narrow {
      width: 92px;
    }
    p {
      margin: 8px 0 0;
    }
  `,
})
export class TellEditorComponent {
  protected readonly phrases = PHRASES;
  readonly plan = input.required<PlanDocument>();
  readonly changed = output<Partial<PlanDocument>>();
  protected readonly ON = TELL_ON;
  private readonly kept = computed((): readonly Tell[] => this.plan().tell, {
    equal: (a, b) => JSON.stringify(a) === JSON.stringify(b),
  });
  /** With what is not said to the end yet: mail to nobody is kept once somebody is named, and stays until then. */
  protected readonly all = linkedSignal(() => this.kept());

  protected words(on: Tell['on'][number]): string {
    return OF[on];
  }
  protected listOf(text: string): string[] {
    return text
      .split(/[\s,;]+/)
      .map((t) => t.trim())
      .filter((t) => t !== '');
  }
  protected put(index: number, change: Partial<Tell>): void {
    const tell = { ...this.all()[index]!, ...change };
    this.keep(this.all().with(index, tell.by === 'application' ? { ...tell, to: [] } : tell));
  }
  protected add(): void {
    this.keep([...this.all(), { on: ['failed', 'stopped', 'recovered'], by: 'application', to: [] }]);
  }
  protected remove(index: number): void {
    this.keep(this.all().toSpliced(index, 1));
  }
  private keep(all: readonly Tell[]): void {
    this.all.set(all);
    const said = all.every((t) => t.on.length > 0 && (t.by === 'application' || t.to.length > 0));
    if (said) this.changed.emit({ tell: [...all] });
  }
}
