import { ChangeDetectionStrategy, Component, inject, input, output } from '@angular/core';
import { RouterLink } from '@angular/router';
import type { KeyHelp } from '../frame/keys';
import { HelpPlace } from '../shared/help-place';
import { SurfaceDirective } from '../shared/surface.directive';
import { ChapterComponent } from './chapter.component';

/** A chapter of the guide beside the page that it is about, with the keys of that page. */
@Component({
  selector: 'vs-help-panel',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterLink, SurfaceDirective, ChapterComponent],
  template: `
    <aside vsSurface aria-label="Help on this page" i18n-aria-label>
      <div class="top">
        <button i18n type="button" data-first class="btn quiet" (click)="closed.emit()">Close</button>
        <span class="grow"></span>
        <a i18n [routerLink]="['/help', chapter()]" (click)="closed.emit()">Open in Help</a>
      </div>
      <details [open]="at() === null">
        <summary i18n>Keys of this page</summary>
        <dl>
          @for (key of keys(); track key.does) {
            <dt>
              @for (k of key.keys; track k) {
                <kbd>{{ k }}</kbd>&ngsp;
              }
            </dt>
            <dd>{{ key.does }}</dd>
          }
        </dl>
      </details>
      <!-- The keys belong here at once; the chapter may come a moment later. -->
      @defer (on immediate) {
        <vs-chapter [chapter]="chapter()" [at]="at()" (followed)="place.open.set($event)" />
      }
    </aside>
  `,
  styles: `
    aside {
      position: fixed;
      top: 0;
      right: 0;
      bottom: 0;
      width: 430px;
      max-width: 100vw;
      overflow: auto;
      padding: 12px 20px 40px;
      background: var(--paper);
      border-left: 1px solid var(--line);
      z-index: 1000;
      &:focus {
        outline: none;
      }
    }
    details {
      margin: 6px 0 18px;
      border-top: 1px solid var(--hair);
      border-bottom: 1px solid var(--hair);
    }
    summary {
      padding: 6px 0;
      font-weight: 600;
      cursor: pointer;
    }
    dl {
      display: grid;
      grid-template-columns: 118px 1fr;
      margin: 0 0 8px;
    }
    dt,
    dd {
      margin: 0;
      padding: 3px 0;
    }
    vs-chapter {
      font-size: 14.2px;
    }
    @media print {
      aside {
        display: none;
      }
    }
  `,
})
export class HelpPanelComponent {
  readonly chapter = input.required<string>();
  readonly at = input<string | null>(null);
  readonly keys = input.required<readonly KeyHelp[]>();
  readonly closed = output();
  protected readonly place = inject(HelpPlace);
}
