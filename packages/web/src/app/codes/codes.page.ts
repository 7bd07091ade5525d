import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import type { CodeTableSummary } from '@versicle/contract';
import { CellDirective } from '../shared/list/cell.directive';
import type { Column } from '../shared/list/column';
import { ListComponent } from '../shared/list/list.component';
import { FigurePipe, FullTimePipe, TimePipe } from '../shared/words';
import { codesActions, codesFeature } from './codes.feature';

/** What the template says in one case or another. */
const PHRASES = {
  nothing: $localize`nothing`,
  code: $localize`1 code`,
  codes: $localize` codes`,
};

/** All code tables: those that mappings share, and those that stand in one mapping only. */
@Component({
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, CellDirective, ListComponent, FigurePipe, FullTimePipe, TimePipe],
  template: `
    <div class="page">
      <vs-list
        heading="Code tables"
        i18n-heading
        sentence="What a code of the source becomes in the target. Mappings take a table over; what runs lack is filled here."
        i18n-sentence
        finds="Find a code table"
        i18n-finds
        none="No code table yet. Name one, or keep one that a mapping has for all mappings."
        i18n-none
        [of]="tables()"
        [columns]="columns"
        [key]="name"
        (again)="open()"
      >
        <form action class="new" (submit)="add($event, called)">
          <input
            #called
            class="input"
            aria-label="Name of a new code table"
            i18n-aria-label
            placeholder="name of a new table"
            i18n-placeholder
          />
          <button i18n type="submit" class="btn first">Add a table</button>
        </form>
        @if (refused()) {
          <p above class="rub" role="alert">{{ refused() }}</p>
        }
        <ng-template vsCell="name" [like]="tables()" let-t>
          @if (t.kept) {
            <a [routerLink]="['/codes', t.name]">{{ t.name }}</a>
          } @else {
            {{ t.name }}
          }
          @if (t.description) {
            <span class="soft about">{{ t.description }}</span>
          }
        </ng-template>
        <ng-template vsCell="used" [like]="tables()" let-t>
          @for (u of t.usedIn; track u.mapping) {
            <div class="use">
              <a [routerLink]="['/mappings', u.mapping]" [queryParams]="{ view: 'codes' }">{{ u.name }}</a>
              @if (!u.same && t.kept) {
                <span i18n class="soft differs">its own copy differs</span>
              }
            </div>
          } @empty {
            <span i18n class="soft">nowhere</span>
          }
        </ng-template>
        <ng-template vsCell="lacks" [like]="tables()" let-t
          ><span [class.rub]="t.missing > 0">{{
            t.missing === 0 ? phrases.nothing : t.missing === 1 ? phrases.code : (t.missing | figure) + phrases.codes
          }}</span></ng-template
        >
        <ng-template vsCell="changed" [like]="tables()" let-t>
          @if (t.updatedAt; as at) {
            <span [title]="at | fullTime">{{ at | time }}</span>
          } @else {
            <button i18n type="button" class="btn quiet" (click)="keep(t.name, t.usedIn[0]!.mapping)">
              Keep {{ t.name }} for all mappings
            </button>
          }
        </ng-template>
      </vs-list>
    </div>
  `,
  styles: `
    .use {
      line-height: 24px;
    }
    .new {
      display: flex;
      gap: 8px;
    }
    .about {
      display: block;
      font: 13px/1.35 var(--sans);
    }
    .differs {
      margin-left: 7px;
    }
  `,
})
export class CodesPage {
  protected readonly phrases = PHRASES;
  private readonly store = inject(Store);
  protected readonly tables = this.store.selectSignal(codesFeature.selectTables);
  protected readonly refused = this.store.selectSignal(codesFeature.selectRefused);
  protected readonly name = (t: CodeTableSummary): string => t.name;
  protected readonly columns: readonly Column<CodeTableSummary>[] = [
    { key: 'name', title: $localize`Code table`, class: 'name', value: (t) => `${t.name} ${t.description}` },
    { key: 'codes', title: $localize`Codes`, figures: true, value: (t) => t.codes },
    { key: 'used', title: $localize`Used in`, value: (t) => t.usedIn.map((u) => u.name).join(', ') || null },
    { key: 'lacks', title: $localize`Lacks`, value: (t) => t.missing },
    { key: 'by', title: $localize`By`, class: 'soft', value: (t) => t.updatedBy },
    { key: 'changed', title: $localize`Changed`, figures: true, value: (t) => t.updatedAt },
  ];
  constructor() {
    this.open();
  }
  protected open(): void {
    this.store.dispatch(codesActions.listOpened());
  }
  protected add(event: Event, box: HTMLInputElement): void {
    event.preventDefault();
    const name = box.value.trim();
    if (name !== '') this.store.dispatch(codesActions.create({ name, mapping: null }));
  }
  protected keep(name: string, mapping: string): void {
    this.store.dispatch(codesActions.create({ name, mapping }));
  }
}
