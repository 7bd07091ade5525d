import { Marked, type Token, type Tokens } from 'marked';

/** A part of a chapter under one heading. */
export interface Section {
  /** Its place in the chapter's address, as GitHub makes it of the heading. */
  readonly id: string;
  readonly title: string;
  readonly depth: number;
  readonly html: string;
  /** Its words alone, for finding. */
  readonly text: string;
}

/** What a heading is called in addresses. */
export const idOf = (heading: string): string =>
  heading
    .toLowerCase()
    .replace(/[^\p{L}\p{N}\s-]/gu, '')
    .trim()
    .replace(/\s/g, '-');

const escaped = (text: string): string =>
  text.replace(/[&<>"]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c]!);

/** A rule of the guide with what it gives: `-- name = 'Holt, Ada' gives Ada`. */
export interface RuleExample {
  readonly rule: string;
  readonly gives: readonly { readonly row: Readonly<Record<string, string>>; readonly value: string | null }[];
}
export function ruleExample(block: string): RuleExample {
  const lines = block.trim().split('\n');
  const gives = lines
    .filter((l) => l.startsWith('-- '))
    .map((line) => {
      const at = line.lastIndexOf(' gives ');
      const row = Object.fromEntries(
        [...line.slice(3, at).matchAll(/(\w+) = '((?:[^']|'')*)'/g)].map(
          ([, name, value]) => [name!, value!.replaceAll("''", "'")] as const,
        ),
      );
      const value = line.slice(at + ' gives '.length);
      return { row, value: value === 'null' ? null : value };
    });
  return { rule: lines.filter((l) => !l.startsWith('-- ')).join('\n'), gives };
}

/** Links between chapters lead to Help, pictures to where the application serves them. */
const marked = new Marked({
  renderer: {
    link({ href, tokens }: Tokens.Link) {
      const inside = this.parser.parseInline(tokens);
      const chapter = /^([\w-]+)\.md(#.*)?$/.exec(href);
      return `<a href="${escaped(chapter ? `/help/${chapter[1]}${chapter[2] ?? ''}` : href)}">${inside}</a>`;
    },
    image({ href, text }: Tokens.Image) {
      return `<img src="${escaped(href.replace(/^\.\.\/screenshots\//, '/guide/pictures/'))}" alt="${escaped(text)}" loading="lazy">`;
    },
    code({ text, lang }: Tokens.Code) {
      if (lang !== 'rule') return `<pre><code>${escaped(text)}</code></pre>`;
      const { rule, gives } = ruleExample(text);
      const rows = gives.map(({ row, value }) => {
        const given = Object.entries(row).map(
          ([name, v]) => `${escaped(name)} <code>${escaped(v) || '(empty)'}</code>`,
        );
        return `<li>${given.join(', ')} gives <code>${escaped(value ?? 'null')}</code></li>`;
      });
      return `<div class="rule"><pre><code>${escaped(rule)}</code></pre><ul>${rows.join('')}</ul></div>`;
    },
  },
});

/** A chapter by its headings; what stands before the first is none of it. */
export function sectionsOf(markdown: string): Section[] {
  const sections: { heading: Tokens.Heading; body: Token[] }[] = [];
  for (const token of marked.lexer(markdown)) {
    if (token.type === 'heading') sections.push({ heading: token as Tokens.Heading, body: [] });
    else sections.at(-1)?.body.push(token);
  }
  return sections.map(({ heading, body }) => ({
    id: idOf(heading.text),
    title: heading.text,
    depth: heading.depth,
    html: marked.parser(body),
    text: body
      .map((token) => token.raw)
      .join(' ')
      .replace(/[#*_`|>()[\]]/g, ' '),
  }));
}

/** The rules of a chapter with what they give. */
export const rulesOf = (markdown: string): RuleExample[] =>
  marked
    .lexer(markdown)
    .filter((token): token is Tokens.Code => token.type === 'code' && (token as Tokens.Code).lang === 'rule')
    .map((token) => ruleExample(token.text));
