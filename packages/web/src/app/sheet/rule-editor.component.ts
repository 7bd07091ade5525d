import type { ElementRef } from '@angular/core';
import {
  ChangeDetectionStrategy,
  Component,
  DestroyRef,
  effect,
  inject,
  input,
  output,
  untracked,
  viewChild,
  afterNextRender,
} from '@angular/core';
import {
  acceptCompletion,
  autocompletion,
  type Completion,
  type CompletionContext,
  type CompletionResult,
} from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { PostgreSQL, sql } from '@codemirror/lang-sql';
import { bracketMatching, HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { EditorState, type Extension } from '@codemirror/state';
import { EditorView, keymap, placeholder, tooltips } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import { functions } from '@versicle/core';

/** A place in the rule with what is wrong there (0-based offsets). */
export interface Mark {
  readonly at: number;
  readonly end: number;
  readonly message: string;
}
export interface EditorField {
  readonly name: string;
  readonly detail: string;
}

const WORDS = [
  'CASE',
  'WHEN',
  'THEN',
  'ELSE',
  'END',
  'AND',
  'OR',
  'NOT',
  'IS NULL',
  'IS NOT NULL',
  'IN',
  'BETWEEN',
  'LIKE',
  'ILIKE',
  'NULL',
  'TRUE',
  'FALSE',
  'DATE',
  'INTERVAL',
  'CURRENT_DATE',
];
const VARIABLES = [':file_name', ':row_number', ':run_number', ':run_started_at'];

const fixed: readonly Completion[] = [
  ...[...functions.values()].map((f): Completion => ({
    label: f.name,
    type: 'function',
    detail: f.signature.slice(f.name.length),
    apply: (view, _c, from, to) => {
      const text = `${f.name}()`;
      view.dispatch({ changes: { from, to, insert: text }, selection: { anchor: from + text.length - 1 } });
    },
    info: () =>
      functionInfo(
        f.signature,
        f.summary,
        f.example.rule,
        f.group === 'aggregate' ? '' : $localize`gives ${f.example.value ?? 'null'}`,
      ),
  })),
  ...WORDS.map((label): Completion => ({ label, type: 'keyword', boost: -2 })),
  ...VARIABLES.map((label): Completion => ({ label, type: 'variable', detail: $localize`of the run` })),
];

function functionInfo(signature: string, summary: string, rule: string, gives: string): HTMLElement {
  const box = document.createElement('div');
  for (const [className, text] of [
    ['sig', signature],
    ['sum', summary],
    ['ex', `${rule} ${gives}`],
  ] as const) {
    const line = document.createElement('div');
    line.className = className;
    line.textContent = text;
    box.append(line);
  }
  return box;
}

const colours = HighlightStyle.define([
  { tag: [tags.keyword, tags.operatorKeyword], color: 'var(--code-word)' },
  { tag: [tags.string, tags.special(tags.string)], color: 'var(--code-text)' },
  { tag: [tags.number, tags.bool, tags.null], color: 'var(--code-figure)' },
  { tag: tags.typeName, color: 'var(--code-word)' },
  { tag: tags.comment, color: 'var(--ink-3)' },
]);

const theme = EditorView.theme({
  '&': { border: '1px solid var(--line)', borderRadius: '4px', background: 'var(--field)', fontSize: '13px' },
  '&.cm-focused': { outline: '2px solid var(--act)', outlineOffset: '-1px' },
  '.cm-content': { fontFamily: 'var(--mono)', padding: '3px 4px', caretColor: 'var(--ink)' },
  '.cm-line': { padding: '0 6px' },
  '.cm-scroller': { fontFamily: 'var(--mono)', lineHeight: '1.65', maxHeight: '180px' },
  '.cm-placeholder': { color: 'var(--ink-3)' },
  '.cm-matchingBracket': { background: 'var(--act-wash) !important' },
  '.cm-lintRange-error': {
    backgroundImage: 'none',
    textDecoration: 'underline wavy var(--rubric) 1.2px',
    textUnderlineOffset: '3px',
  },
  '.cm-tooltip': { background: 'var(--raised)', border: '1px solid var(--line)', borderRadius: '4px' },
  '.cm-tooltip-autocomplete > ul': { fontFamily: 'var(--mono)', fontSize: '12.4px' },
  '.cm-tooltip-autocomplete > ul > li[aria-selected]': { background: 'var(--act)', color: 'var(--on-act)' },
  '.cm-completionIcon': { display: 'none' },
  '.cm-completionDetail': { fontStyle: 'normal', opacity: '0.75' },
  '.cm-completionInfo': { maxWidth: '360px', padding: '8px 10px', fontFamily: 'var(--sans)' },
  '.cm-completionInfo .sig': { fontFamily: 'var(--mono)', fontSize: '12.4px', fontWeight: '600' },
  '.cm-completionInfo .ex': { fontFamily: 'var(--mono)', fontSize: '12px', color: 'var(--ink-3)', marginTop: '4px' },
  '.cm-tooltip-lint': { fontFamily: 'var(--sans)', fontSize: '13px' },
});

/** One rule as text: completion from the registry and the fields, faults underlined at their place. */
@Component({
  selector: 'vs-rule-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `<div #host></div>`,
  styles: `
    :host {
      display: block;
    }
  `,
})
export class RuleEditorComponent {
  readonly text = input.required<string>();
  readonly label = input.required<string>();
  readonly hint = input('');
  readonly fields = input<readonly EditorField[]>([]);
  readonly marks = input<readonly Mark[]>([]);
  readonly changed = output<string>();
  readonly escaped = output();
  private readonly host = viewChild.required<ElementRef<HTMLElement>>('host');
  private view: EditorView | null = null;
  /** What this editor gave last: the same text coming back is no change. */
  private given: string | null = null;

  constructor() {
    afterNextRender(() => this.make());
    inject(DestroyRef).onDestroy(() => this.view?.destroy());
    effect(() => {
      const text = this.text();
      const { view } = this;
      if (!view || text === this.given || text === view.state.doc.toString()) return;
      this.given = text;
      view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: text } });
    });
    effect(() => {
      const marks = this.marks();
      if (this.view) this.underline(marks);
    });
  }

  focus(): void {
    this.view?.focus();
  }

  private make(): void {
    this.view = new EditorView({
      parent: this.host().nativeElement,
      state: EditorState.create({ doc: untracked(this.text), extensions: this.extensions() }),
    });
    this.underline(untracked(this.marks));
  }

  private extensions(): Extension[] {
    return [
      history(),
      sql({ dialect: PostgreSQL, upperCaseKeywords: true }),
      syntaxHighlighting(colours),
      bracketMatching(),
      autocompletion({
        override: [(context) => this.complete(context)],
        icons: false,
        interactionDelay: 0,
        maxRenderedOptions: 60,
      }),
      tooltips({ parent: document.body }),
      keymap.of([
        { key: 'Tab', run: acceptCompletion },
        { key: 'Escape', run: () => (this.escaped.emit(), true) },
        { key: 'Mod-Enter', run: () => (this.escaped.emit(), true) },
        ...defaultKeymap.filter((k) => k.key !== 'Mod-Enter'),
        ...historyKeymap,
      ]),
      placeholder(this.hint()),
      theme,
      EditorView.lineWrapping,
      EditorView.contentAttributes.of({ 'aria-label': this.label(), spellcheck: 'false' }),
      EditorView.updateListener.of((update) => {
        if (!update.docChanged) return;
        const text = update.state.doc.toString();
        if (text === this.given) return;
        this.given = text;
        this.changed.emit(text);
      }),
    ];
  }

  private complete(context: CompletionContext): CompletionResult | null {
    const word = context.matchBefore(/[\w.:"]+/);
    if (!word && !context.explicit) return null;
    if (word && /^\d/.test(word.text)) return null;
    const fields = this.fields().map((f): Completion => ({
      label: f.name,
      type: 'property',
      detail: f.detail,
      boost: 2,
    }));
    return { from: word?.from ?? context.pos, options: [...fields, ...fixed], validFor: /^[\w.:"]*$/ };
  }

  private underline(marks: readonly Mark[]): void {
    const view = this.view!;
    const { length } = view.state.doc;
    const diagnostics = marks.map((m): Diagnostic => {
      const from = Math.min(m.at, length);
      return { from, to: Math.min(length, Math.max(m.end, from + 1)), severity: 'error', message: m.message };
    });
    view.dispatch(setDiagnostics(view.state, diagnostics));
  }
}
