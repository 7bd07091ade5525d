import { ApplicationRef, ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { NavigationEnd, Router, RouterLink, RouterLinkActive, RouterOutlet } from '@angular/router';
import { Store } from '@ngrx/store';
import { filter, map } from 'rxjs';
import { SignComponent } from '../shared/signs.component';
import { FigurePipe } from '../shared/words';
import { sayWho } from '../shared/who';
import { FinderComponent } from './finder.component';
import { keepFocus } from './focus-keeper';
import { Lately } from './lately';
import { chooseLanguage, languageNow, languages, WRITTEN_IN } from './language';
import { chooseTheme, themeNow, THEMES } from './theme';
import { frameActions, frameFeature } from './frame.feature';
import { chapterOf } from '../help/chapters';
import { HelpPanelComponent } from '../help/help-panel.component';
import { HelpPlace } from '../shared/help-place';
import { EVERYWHERE, LIST_KEYS, SHEET_KEYS } from './keys';

const ON_SHEET = /^\/mappings\/(?!new)[^/?]+(\?|$)/;
const HAS_LIST = /^\/(systems|mappings|plans|runs|failures|codes)/;

/** What the template says in one case or another. */
const PHRASES = {
  waiting: $localize` waiting`,
};

/** The page's frame: a contents page at the left, whose page numbers are the things that wait for a person. */
@Component({
  selector: 'vs-root',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RouterOutlet, RouterLink, RouterLinkActive, SignComponent, FigurePipe, FinderComponent, HelpPanelComponent],
  host: { '(document:keydown)': 'onKey($event)' },
  template: `
    <a i18n class="skip" href="#main" (click)="skip($event)">Go to the page</a>
    <nav class="contents" aria-label="Contents" i18n-aria-label>
      <div i18n class="brand">
        <span class="rub"><vs-sign of="source" [size]="20" /></span>Versicle
      </div>
      <div class="env">
        @if (session(); as s) {
          {{ s.workspace }} · <b>{{ s.environment }}</b>
        }
      </div>
      <ul class="toc">
        @for (chapter of chapters(); track chapter.path) {
          <li [class.quiet]="!chapter.waiting" routerLinkActive="here">
            <a
              [routerLink]="chapter.path"
              [attr.aria-label]="
                chapter.waiting ? chapter.name + ', ' + chapter.waiting + phrases.waiting : chapter.name
              "
            >
              {{ chapter.name }}<span class="dots"></span
              ><span class="n" aria-hidden="true">{{ chapter.waiting ? (chapter.waiting | figure) : '' }}</span>
            </a>
          </li>
        }
      </ul>
      <ul class="toc small">
        <li routerLinkActive="here" class="quiet"><a i18n routerLink="/settings">Settings</a></li>
        <li routerLinkActive="here" class="quiet"><a i18n routerLink="/help">Help</a></li>
      </ul>
      <div class="foot">
        <button i18n type="button" (click)="show(finding)"><kbd>Ctrl</kbd> <kbd>K</kbd> find anything</button>
        <button i18n type="button" (click)="askHelp()"><kbd>?</kbd> help on this page</button>
        @if (naming()) {
          <form (submit)="setPerson($event, me.value)">
            <input #me class="input" aria-label="Who you are" i18n-aria-label [value]="session()?.person ?? ''" />
          </form>
        } @else {
          <button type="button" class="person" title="Say who you are" i18n-title (click)="naming.set(true)">
            {{ session()?.person }}
          </button>
        }
        <select #seen aria-label="Colours of the application" i18n-aria-label (change)="wear(seen.value)">
          @for (t of themes; track t[0]) {
            <option [value]="t[0]" [selected]="t[0] === theme()">{{ t[1] }}</option>
          }
        </select>
        @if (languages.length > 0) {
          <select #spoken aria-label="Language" i18n-aria-label (change)="speak(spoken.value)">
            @for (l of [writtenIn].concat(languages); track l) {
              <option [value]="l" [lang]="l" [selected]="l === language">{{ languageName(l) }}</option>
            }
          </select>
        }
      </div>
    </nav>
    <main id="main" tabindex="-1"><router-outlet /></main>
    @if (notice(); as n) {
      <div class="notice" [class.problem]="n.problem" role="status">
        <span>{{ n.text }}</span>
        <button i18n type="button" class="btn quiet" (click)="unsay()">Close</button>
      </div>
    }
    @if (finding()) {
      <vs-finder (closed)="finding.set(false)" />
    }
    @if (help(); as h) {
      <vs-help-panel [chapter]="h.chapter" [at]="h.at" [keys]="keys()" (closed)="help.set(null)" />
    }
  `,
  styleUrl: './frame.component.less',
})
export class FrameComponent {
  protected readonly phrases = PHRASES;
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  protected readonly session = this.store.selectSignal(frameFeature.selectSession);
  protected readonly notice = this.store.selectSignal(frameFeature.selectNotice);
  private readonly waiting = this.store.selectSignal(frameFeature.selectWaiting);
  protected readonly finding = signal(false);
  protected readonly help = inject(HelpPlace).open;
  private readonly address = toSignal(
    this.router.events.pipe(
      filter((e) => e instanceof NavigationEnd),
      map((e) => e.urlAfterRedirects),
    ),
    { initialValue: '' },
  );
  protected readonly keys = computed(() =>
    ON_SHEET.test(this.address())
      ? [...SHEET_KEYS, ...EVERYWHERE]
      : HAS_LIST.test(this.address())
        ? [...LIST_KEYS, ...EVERYWHERE]
        : EVERYWHERE,
  );
  /** The chapter of the page that is open. */
  protected askHelp(): void {
    this.help.set(this.help() ? null : { chapter: chapterOf(this.address()), at: null });
    this.app.tick();
  }
  protected readonly themes = [
    ['system', $localize`colours as the system`],
    ['day', $localize`by day`],
    ['night', $localize`by night`],
  ] as const;
  protected readonly theme = signal(themeNow());
  protected wear(value: string): void {
    this.theme.set(THEMES.find((theme) => theme === value) ?? 'system');
    chooseTheme(this.theme());
  }
  protected readonly languages = [...languages()];
  protected readonly writtenIn = WRITTEN_IN;
  protected readonly language = languageNow() ?? WRITTEN_IN;
  protected readonly speak = chooseLanguage;
  /** Each is called what it calls itself. */
  protected readonly languageName = (language: string): string =>
    new Intl.DisplayNames([language], { type: 'language' }).of(language) ?? language;
  protected readonly naming = signal(false);
  /** Nobody signs in yet; what people say and sign stands under the name that they give. */
  protected setPerson(event: Event, name: string): void {
    event.preventDefault();
    this.naming.set(false);
    sayWho(name.trim());
    this.store.dispatch(frameActions.started());
  }
  protected readonly chapters = computed(() => {
    const w = this.waiting();
    return [
      { name: $localize`Today`, path: '/today', waiting: 0 },
      { name: $localize`Systems`, path: '/systems', waiting: w.systems },
      { name: $localize`Mappings`, path: '/mappings', waiting: w.mappings },
      { name: $localize`Plans`, path: '/plans', waiting: 0 },
      { name: $localize`Runs`, path: '/runs', waiting: w.runs },
      { name: $localize`Failed records`, path: '/failures', waiting: w.failures },
      { name: $localize`Code tables`, path: '/codes', waiting: w.codes },
    ];
  });

  constructor() {
    this.store.dispatch(frameActions.started());
    keepFocus();
    inject(Lately).follow();
  }

  private readonly app = inject(ApplicationRef);
  /** At once, with the focus: a key that follows within the same moment belongs there already. */
  protected show(surface: typeof this.finding): void {
    surface.set(true);
    this.app.tick();
  }

  protected skip(event: Event): void {
    event.preventDefault();
    document.getElementById('main')?.focus();
  }
  protected unsay(): void {
    this.store.dispatch(frameActions.unsay());
  }
  protected onKey(event: KeyboardEvent): void {
    if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
      event.preventDefault();
      this.show(this.finding);
    } else if (event.key === 'Escape' && this.finding()) {
      this.finding.set(false);
    } else if (event.key === 'Escape' && this.help() && !event.defaultPrevented) {
      this.help.set(null);
    } else if (event.key === '?' && !typing(event.target)) {
      event.preventDefault();
      if (!this.finding()) this.askHelp();
    }
  }
}

function typing(target: EventTarget | null): boolean {
  // The sheet's input stands for a chosen cell until something is written.
  return (
    target instanceof HTMLElement &&
    target.dataset['choosing'] === undefined &&
    (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))
  );
}
