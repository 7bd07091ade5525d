import { SaxesParser } from 'saxes';

/**
 * The characters of a text in which nothing means anything else, and none is one to look at twice (XML 1.0, sections 2.2,
 * 2.4, 2.11; those that 1.1 has besides stay out, too), as a class of a regular expression.
 */
export const PLAIN_TEXT = "[\\t\\n\\u0020-%'-;=-\\\\^-~\\u00a0-\\u2027\\u2029-\\ud7ff\\ue000-\\ufffd]*";

/** Where a parser is; it tells nobody, but is the same wherever it has just read an element's opening tag. */
const stateOf = (parser: SaxesParser): unknown => (parser as unknown as { readonly state: unknown }).state;
/** Equal to nothing where a parser has no such state: then it reads all by itself. */
const BETWEEN_TAGS = stateOf(new SaxesParser().write('<a>')) ?? Number.NaN;
const BRACKET = 0x5d;

/**
 * Gives a parser its text, but for what most of a large file consists of: whole elements that are plain, by a pattern. Where
 * the parser is within an element and between two tags, these are read past it, which changes nothing of what it is told
 * before and behind them; it looks at each character otherwise, which takes several times as long. `take` gets such an
 * element in its order with what the parser tells, and says whether it takes it; otherwise the parser gets it, too.
 */
export class PastParser {
  /** The last character so far. */
  private last = 0;

  constructor(
    private readonly parser: SaxesParser,
    private readonly pattern: RegExp,
    private readonly take: (found: RegExpExecArray) => boolean,
  ) {}

  write(text: string): void {
    const { parser, pattern } = this;
    let at = 0;
    pattern.lastIndex = 0;
    for (let found = pattern.exec(text); found !== null; found = pattern.exec(text)) {
      const { index } = found;
      if (index > at) parser.write(text.slice(at, index));
      at = pattern.lastIndex;
      const before = index > 0 ? text.charCodeAt(index - 1) : this.last;
      // What comes behind it would stand right behind a bracket: `]]` and `>` must not come together.
      const isTaken = before !== BRACKET && stateOf(parser) === BETWEEN_TAGS && this.take(found);
      if (!isTaken) parser.write(found[0]);
      pattern.lastIndex = at;
    }
    if (at < text.length) parser.write(at === 0 ? text : text.slice(at));
    if (text !== '') this.last = text.charCodeAt(text.length - 1);
  }
}
