import { RuleError } from './errors.ts';
import type { AggregateOver, Node, SortKey } from './syntax.ts';
import { RESERVED } from './keywords.ts';
import { tokenize, type Token } from './tokens.ts';

const MAX_DEPTH = 200;
const MAX_NODES = 10_000;

/** Binding powers in the order of PostgreSQL's grammar (src/backend/parser/gram.y, %left … %nonassoc). */
const POWER = {
  or: 1,
  and: 2,
  not: 3,
  is: 4,
  comparison: 5,
  like: 6,
  operator: 7,
  sum: 8,
  product: 9,
  power: 10,
  zone: 11,
  sign: 13,
  cast: 15,
};
const COMPARISONS = new Set(['<', '>', '=', '<=', '>=', '<>']);
const OPERATORS = new Set(['||', '~', '~*', '!~', '!~*', '->', '->>', '#>', '#>>', '@>', '<@', '?', '?|', '?&']);
const LATER = new Set(['~~', '~~*', '!~~', '!~~*', '|', '&', '#', '<<', '>>', '@', '|/']);

/** Types that PostgreSQL keeps as words of its own, so that no function can have their name. */
const NO_FUNCTIONS = new Set(
  'bigint bit boolean char character dec decimal float int integer interval national nchar none numeric out precision real row setof smallint time timestamp values varchar'.split(
    ' ',
  ),
);

const NOT_FUNCTIONS = new Set(
  'all and any array as asc case check collate create default desc distinct do else end except false for from group having in into limit not null offset on or order select some table then to true union when where window with between is like ilike similar isnull notnull'.split(
    ' ',
  ),
);
const TYPE_WORDS = new Set(['date', 'timestamp', 'timestamptz', 'interval', 'time', 'timetz']);

/** Text → syntax tree. Throws RuleError. */
export function parseRule(rule: string): Node {
  return new Parser(tokenize(rule), rule).whole();
}
/** What records are sorted by: an expression, with ASC or DESC and NULLS FIRST or LAST behind it. Throws RuleError. */
export function parseSortKey(text: string): SortKey {
  return new Parser(tokenize(text), text).wholeSortKey();
}

class Parser {
  private at = 0;
  private depth = 0;
  private nodes = 0;
  constructor(
    private readonly tokens: readonly Token[],
    private readonly rule: string,
  ) {}

  whole(): Node {
    if (this.peek().kind === 'end') throw new RuleError('The rule is empty.', 0, 0);
    const node = this.expression(0);
    const rest = this.peek();
    if (rest.kind !== 'end') this.unexpected(rest);
    return node;
  }

  wholeSortKey(): SortKey {
    if (this.peek().kind === 'end') throw new RuleError('What to sort by is empty.', 0, 0);
    const key = this.sortKey();
    const rest = this.peek();
    if (rest.kind !== 'end') this.unexpected(rest);
    return key;
  }

  private peek(ahead = 0): Token {
    return this.tokens[Math.min(this.at + ahead, this.tokens.length - 1)]!;
  }
  private take(): Token {
    const token = this.peek();
    if (token.kind !== 'end') this.at++;
    return token;
  }
  private isWord(word: string, ahead = 0): boolean {
    const token = this.peek(ahead);
    return token.kind === 'name' && token.text === word;
  }
  private isMark(mark: string, ahead = 0): boolean {
    const token = this.peek(ahead);
    return (token.kind === 'punctuation' || token.kind === 'operator') && token.text === mark;
  }
  private takeWord(word: string): boolean {
    if (!this.isWord(word)) return false;
    this.at++;
    return true;
  }
  private expectWord(word: string): Token {
    if (!this.isWord(word)) this.unexpected(this.peek(), word.toUpperCase());
    return this.take();
  }
  private expectMark(mark: string): Token {
    if (!this.isMark(mark)) this.unexpected(this.peek(), mark);
    return this.take();
  }
  private unexpected(token: Token, wanted?: string): never {
    const hint = wanted ? ` ${wanted === ')' ? 'A closing bracket ) is missing' : `${wanted} is expected here`}.` : '';
    if (token.kind === 'end') throw new RuleError(`The rule ends too early.${hint}`, token.at, token.at);
    if (token.text === '==') throw new RuleError('Equality is written with one sign: =', token.at, token.end, '=');
    if (token.text === '&&') throw new RuleError('Write AND instead of &&.', token.at, token.end, 'AND');
    if (LATER.has(token.text)) throw new RuleError(`The operator ${token.text} is not supported.`, token.at, token.end);
    if (token.text === ';')
      throw new RuleError('A rule is one expression; leave out the semicolon.', token.at, token.end);
    if (token.kind === 'operator' && !wanted)
      throw new RuleError(`There is no operator ${token.text}.`, token.at, token.end);
    throw new RuleError(
      `“${this.rule.slice(token.at, token.end).slice(0, 40)}” is not expected here.${hint}`,
      token.at,
      token.end,
    );
  }
  private node<T extends Node>(node: T): T {
    if (++this.nodes > MAX_NODES)
      throw new RuleError(
        `The rule has more than ${MAX_NODES.toLocaleString('en-GB')} parts; use a code table or several lines.`,
        node.at,
        node.end,
      );
    return node;
  }
  private expression(power: number): Node {
    if (++this.depth > MAX_DEPTH)
      throw new RuleError(`The rule is nested more than ${MAX_DEPTH} levels deep.`, this.peek().at, this.peek().end);
    let left = this.prefix();
    // Comparisons and the LIKE family do not chain: after one, another at the same level is an error.
    let barred = Infinity;
    for (;;) {
      const step = this.infix(left, power, barred);
      if (step === null) break;
      left = this.node(step.node);
      barred = step.barred;
    }
    this.depth--;
    return left;
  }

  private prefix(): Node {
    const token = this.peek();
    if (this.isMark('-') || this.isMark('+')) {
      this.take();
      const arg = this.expression(POWER.sign);
      return this.node({ kind: 'unary', op: token.text as '-' | '+', arg, at: token.at, end: arg.end });
    }
    if (this.isWord('not')) {
      this.take();
      const arg = this.expression(POWER.not);
      return this.node({ kind: 'unary', op: 'not', arg, at: token.at, end: arg.end });
    }
    return this.node(this.primary());
  }

  private infix(left: Node, power: number, barred: number): { node: Node; barred: number } | null {
    const token = this.peek();
    const level = this.levelOf(token);
    if (level === 0 || level <= power) return null;
    if (level >= barred) this.unexpected(token, 'A bracket around the first comparison');
    const done = (node: Node, bar = Infinity): { node: Node; barred: number } => ({ node, barred: bar });
    if (token.kind === 'operator') {
      this.take();
      if (token.text === '::') return done(this.castTo(left, left.at));
      if (this.isWord('any') || this.isWord('some') || this.isWord('all'))
        return done(this.anyOf(left, token), level === POWER.comparison ? level : Infinity);
      const right = this.expression(level);
      return done(
        { kind: 'binary', op: token.text, left, right, at: left.at, end: right.end },
        level === POWER.comparison ? level : Infinity,
      );
    }
    if (level === POWER.or || level === POWER.and) {
      this.take();
      const right = this.expression(level);
      return done({ kind: 'binary', op: token.text, left, right, at: left.at, end: right.end });
    }
    if (level === POWER.zone) {
      this.take();
      if (this.isWord('local')) this.unexpected(this.peek());
      this.expectWord('time');
      this.expectWord('zone');
      const zone = this.expression(level);
      return done({ kind: 'call', name: 'timezone', nameEnd: left.at, args: [zone, left], at: left.at, end: zone.end });
    }
    if (level === POWER.is) return done(this.isTest(left), POWER.is);
    return done(this.likeFamily(left), POWER.like);
  }

  private levelOf(token: Token): number {
    if (token.kind === 'operator') {
      const op = token.text;
      if (op === '::') return POWER.cast;
      if (COMPARISONS.has(op)) return POWER.comparison;
      if (op === '+' || op === '-') return POWER.sum;
      if (op === '*' || op === '/' || op === '%') return POWER.product;
      if (op === '^') return POWER.power;
      return OPERATORS.has(op) ? POWER.operator : 0;
    }
    if (token.kind !== 'name') return 0;
    switch (token.text) {
      case 'or':
        return POWER.or;
      case 'and':
        return POWER.and;
      case 'is':
      case 'isnull':
      case 'notnull':
        return POWER.is;
      case 'in':
      case 'between':
      case 'like':
      case 'ilike':
        return POWER.like;
      case 'similar':
        return this.isWord('to', 1) ? POWER.like : 0;
      case 'not':
        return /^(in|between|like|ilike|similar)$/.test(this.peek(1).text) && this.peek(1).kind === 'name'
          ? POWER.like
          : 0;
      case 'at':
        return this.isWord('time', 1) || this.isWord('local', 1) ? POWER.zone : 0;
      default:
        return 0;
    }
  }

  private isTest(arg: Node): Node {
    const word = this.take();
    if (word.text === 'isnull') return { kind: 'is', test: 'null', not: false, arg, at: arg.at, end: word.end };
    if (word.text === 'notnull') return { kind: 'is', test: 'null', not: true, arg, at: arg.at, end: word.end };
    const not = this.takeWord('not');
    const test = this.peek();
    if (test.kind === 'name' && /^(null|true|false|unknown)$/.test(test.text)) {
      this.take();
      return { kind: 'is', test: test.text as 'null', not, arg, at: arg.at, end: test.end };
    }
    if (this.takeWord('distinct')) {
      this.expectWord('from');
      const right = this.expression(POWER.is);
      return { kind: 'distinct', not, left: arg, right, at: arg.at, end: right.end };
    }
    return this.unexpected(test, 'NULL, TRUE, FALSE, UNKNOWN or DISTINCT FROM');
  }

  private likeFamily(arg: Node): Node {
    const not = this.takeWord('not');
    const word = this.take();
    switch (word.text) {
      case 'in':
        return this.inList(arg, not);
      case 'between': {
        const symmetric = this.takeWord('symmetric');
        if (!symmetric) this.takeWord('asymmetric');
        // The lower bound is what PostgreSQL calls b_expr: no AND, no LIKE family in it without brackets.
        const low = this.expression(POWER.like);
        this.expectWord('and');
        const high = this.expression(POWER.like);
        return { kind: 'between', not, symmetric, arg, low, high, at: arg.at, end: high.end };
      }
      case 'similar': {
        this.expectWord('to');
        const pattern = this.expression(POWER.like);
        const escape = this.takeWord('escape') ? this.expression(POWER.like) : null;
        const end = (escape ?? pattern).end;
        const args = escape ? [arg, pattern, escape] : [arg, pattern];
        const similar: Node = { kind: 'call', name: 'similar to', nameEnd: word.end, args, at: arg.at, end };
        return not ? { kind: 'unary', op: 'not', arg: this.node(similar), at: arg.at, end } : similar;
      }
      default: {
        const pattern = this.expression(POWER.like);
        const escape = this.takeWord('escape') ? this.expression(POWER.like) : null;
        return {
          kind: 'like',
          not,
          insensitive: word.text === 'ilike',
          arg,
          pattern,
          escape,
          at: arg.at,
          end: (escape ?? pattern).end,
        };
      }
    }
  }

  /** `x = ANY (array)`; an array written out is a list, as IN has it. */
  private anyOf(left: Node, op: Token): Node {
    const word = this.take();
    const every = word.text === 'all';
    if (!(op.text === '=' && !every) && !(op.text === '<>' && every))
      throw new RuleError('Only = ANY (…) and <> ALL (…) are supported.', op.at, word.end);
    this.expectMark('(');
    if (this.isWord('select'))
      throw new RuleError(
        'A query inside a rule is not supported; use a code table or a join.',
        this.peek().at,
        this.peek().end,
      );
    const array = this.expression(0);
    const close = this.expectMark(')');
    if (array.kind === 'array' && array.items.length > 0)
      return { kind: 'in', not: every, arg: left, list: array.items, asArray: true, at: left.at, end: close.end };
    const args = [left, array];
    const any: Node = { kind: 'call', name: '= any', nameEnd: word.end, args, at: left.at, end: close.end };
    return every ? { kind: 'unary', op: 'not', arg: this.node(any), at: left.at, end: close.end } : any;
  }
  private inList(arg: Node, not: boolean): Node {
    this.expectMark('(');
    if (this.isWord('select'))
      throw new RuleError(
        'A query inside a rule is not supported; use a code table or a join.',
        this.peek().at,
        this.peek().end,
      );
    const list = this.list();
    const close = this.expectMark(')');
    return { kind: 'in', not, arg, list, at: arg.at, end: close.end };
  }
  private list(): Node[] {
    const list = [this.expression(0)];
    while (this.isMark(',')) {
      this.take();
      list.push(this.expression(0));
    }
    return list;
  }

  private primary(): Node {
    const token = this.take();
    switch (token.kind) {
      case 'number':
        return { kind: 'number', value: token.text, at: token.at, end: token.end };
      case 'text':
        return { kind: 'text', value: token.text, at: token.at, end: token.end };
      case 'variable':
        return { kind: 'variable', name: token.text, at: token.at, end: token.end };
      case 'quoted':
        return this.field(token);
      case 'name':
        return this.named(token);
      default:
        if (token.text === '(' && token.kind === 'punctuation') return this.bracketed(token);
        if (token.kind !== 'end') this.at--;
        return this.unexpected(token, token.kind === 'end' ? 'A value' : undefined);
    }
  }

  private bracketed(open: Token): Node {
    if (this.isWord('select'))
      throw new RuleError(
        'A query inside a rule is not supported; use a code table or a join.',
        this.peek().at,
        this.peek().end,
      );
    const inner = this.expression(0);
    if (this.isMark(','))
      throw new RuleError('Rows of several values are not supported.', this.peek().at, this.peek().end);
    const close = this.expectMark(')');
    return this.subscripts({ ...inner, at: open.at, end: close.end });
  }
  /** `(…)[1]`, also several. */
  private subscripts(arg: Node): Node {
    let node = arg;
    while (this.isMark('[')) {
      this.take();
      const index = this.expression(0);
      if (this.isMark(':') || this.peek().kind === 'variable')
        throw new RuleError('Slices of arrays are not supported.', this.peek().at, this.peek().end);
      const close = this.expectMark(']');
      node = this.node({ kind: 'subscript', arg: node, index, at: arg.at, end: close.end });
    }
    return node;
  }

  private field(first: Token): Node {
    if (!this.isMark('.'))
      return this.subscripts({ kind: 'field', alias: null, name: first.text, at: first.at, end: first.end });
    this.take();
    const name = this.take();
    if (name.kind !== 'name' && name.kind !== 'quoted') {
      if (name.kind !== 'end') this.at--;
      this.unexpected(this.peek(), 'A field name');
    }
    if (this.isMark('.'))
      throw new RuleError(
        'A field is named as alias.field; write a name that contains dots in double quotes.',
        first.at,
        this.peek().end,
      );
    return this.subscripts({ kind: 'field', alias: first.text, name: name.text, at: first.at, end: name.end });
  }

  private named(token: Token): Node {
    const { text, at, end } = token;
    const call = (args: Node[], name = text): Node => ({
      kind: 'call',
      name,
      nameEnd: end,
      args,
      at,
      end: this.tokens[this.at - 1]!.end,
    });
    switch (text) {
      case 'true':
      case 'false':
        return { kind: 'boolean', value: text === 'true', at, end };
      case 'null':
        return { kind: 'null', at, end };
      case 'case':
        return this.caseOf(token);
      case 'current_date':
      case 'current_timestamp':
      case 'localtimestamp':
        return call([]);
      case 'cast': {
        if (!this.isMark('(')) break;
        this.take();
        const arg = this.expression(0);
        this.expectWord('as');
        const type = this.typeText();
        const close = this.expectMark(')');
        return { kind: 'cast', arg, type: type.text, typeAt: type.at, typeEnd: type.end, at, end: close.end };
      }
      case 'select':
        throw new RuleError('A rule is a single expression, not a query; leave out SELECT.', at, end);
      case 'array': {
        if (!this.isMark('[')) this.unexpected(this.peek(), '[');
        this.take();
        const items = this.isMark(']') ? [] : this.list();
        const close = this.expectMark(']');
        return { kind: 'array', items, at, end: close.end };
      }
      default:
    }
    if (this.isTypedText(token)) return this.typedText(token);
    if (this.isMark('(') && !NOT_FUNCTIONS.has(text)) return this.call(token);
    if (RESERVED.has(text)) {
      this.at--;
      this.unexpected(token);
    }
    return this.field(token);
  }

  private isTypedText(token: Token): boolean {
    if (this.peek().kind === 'text') return true;
    return token.text === 'timestamp' && (this.isWord('with') || this.isWord('without'));
  }
  /** DATE '…', TIMESTAMP '…', INTERVAL '…' and any other type name in front of a text. */
  private typedText(token: Token): Node {
    let type = token.text;
    let typeEnd = token.end;
    if (type === 'timestamp' && this.peek().kind === 'name') {
      type += ` ${this.take().text} ${this.expectWord('time').text} `;
      const zone = this.expectWord('zone');
      type += zone.text;
      typeEnd = zone.end;
    }
    const value = this.take();
    if (value.kind !== 'text') {
      this.at--;
      this.unexpected(this.peek(), 'A text in quotes');
    }
    if (!TYPE_WORDS.has(token.text) && RESERVED.has(token.text)) {
      this.at -= 1;
      this.unexpected(this.peek());
    }
    if (
      token.text === 'interval' &&
      this.peek().kind === 'name' &&
      /^(year|month|day|hour|minute|second)$/.test(this.peek().text)
    )
      throw new RuleError("Write the unit inside the quotes: INTERVAL '3 days'.", this.peek().at, this.peek().end);
    const arg = this.node({ kind: 'text' as const, value: value.text, at: value.at, end: value.end });
    return { kind: 'cast', arg, type, typeAt: token.at, typeEnd, at: token.at, end: value.end };
  }

  private castTo(arg: Node, at: number): Node {
    const type = this.typeText();
    return { kind: 'cast', arg, type: type.text, typeAt: type.at, typeEnd: type.end, at, end: type.end };
  }

  private typeText(): { text: string; at: number; end: number } {
    const first = this.take();
    // Words such as `timestamp` are reserved for other places, and name types here.
    if (first.kind !== 'name' || (RESERVED.has(first.text) && !TYPE_WORDS.has(first.text))) {
      if (first.kind !== 'end') this.at--;
      this.unexpected(first, 'The name of a type');
    }
    let text = first.text;
    let { end } = first;
    const word = (w: string): void => {
      end = this.expectWord(w).end;
      text += ` ${w}`;
    };
    if (text === 'double') word('precision');
    else if (text === 'character' && this.isWord('varying')) word('varying');
    if (this.isMark('(')) {
      this.take();
      const numbers = this.list().map((n) => {
        if (n.kind === 'number') return n.value;
        if (n.kind === 'unary' && n.op === '-' && n.arg.kind === 'number') return `-${n.arg.value}`;
        throw new RuleError('The size of a type is a plain number.', n.at, n.end);
      });
      end = this.expectMark(')').end;
      text += `(${numbers.join(',')})`;
    }
    if (text === 'timestamp' && (this.isWord('with') || this.isWord('without'))) {
      text += ` ${this.take().text}`;
      word('time');
      word('zone');
    }
    if (this.isMark('[')) {
      this.take();
      end = this.expectMark(']').end;
      text += '[]';
    }
    return { text, at: first.at, end };
  }

  private caseOf(token: Token): Node {
    const arg = this.isWord('when') ? null : this.expression(0);
    const branches: { when: Node; then: Node }[] = [];
    while (this.takeWord('when')) {
      const when = this.expression(0);
      this.expectWord('then');
      branches.push({ when, then: this.expression(0) });
    }
    if (branches.length === 0) this.unexpected(this.peek(), 'WHEN');
    const otherwise = this.takeWord('else') ? this.expression(0) : null;
    const end = this.expectWord('end');
    return { kind: 'case', arg, branches, otherwise, at: token.at, end: end.end };
  }

  private call(token: Token): Node {
    const { text, at } = token;
    if (NO_FUNCTIONS.has(text))
      throw new RuleError(
        `${text} is the name of a type, not of a function; write CAST(value AS ${text}).`,
        token.at,
        token.end,
      );
    this.take();
    const star = this.isMark('*');
    if (star && text !== 'count') throw new RuleError('“*” stands only in count(*).', this.peek().at, this.peek().end);
    if (star) this.take();
    const distinct = this.takeWord('distinct');
    if (!distinct && !star) this.takeWord('all');
    const args = star ? [] : this.arguments(text);
    const orderBy = this.isWord('order') ? this.orderBy() : [];
    const close = this.expectMark(')');
    if (text === 'nullif' && args.length !== 2)
      throw new RuleError('NULLIF takes two values: NULLIF(value, other).', token.at, close.end);
    let name = text;
    if (text === 'trim') name = this.callName ?? 'btrim';
    else if (text === 'substring' && this.callName === 'substring similar') name = this.callName;
    this.callName = null;
    const filter = this.isWord('filter') && this.isMark('(', 1) ? this.aggregateFilter() : null;
    if (this.isWord('over'))
      throw new RuleError('Window functions are not supported in rules.', this.peek().at, this.peek().end);
    const over: AggregateOver = { star, distinct, orderBy, filter };
    const told = star || distinct || orderBy.length > 0 || filter !== null;
    return { kind: 'call', name, nameEnd: token.end, args, at, end: close.end, ...(told ? { over } : {}) };
  }
  private orderBy(): SortKey[] {
    this.take();
    this.expectWord('by');
    const keys = [this.sortKey()];
    while (this.isMark(',')) {
      this.take();
      keys.push(this.sortKey());
    }
    return keys;
  }
  private sortKey(): SortKey {
    const by = this.expression(0);
    const descending = this.takeWord('desc');
    if (!descending) this.takeWord('asc');
    if (!this.isWord('nulls')) return { by, descending, nulls: null };
    this.take();
    if (this.takeWord('first')) return { by, descending, nulls: 'first' };
    this.expectWord('last');
    return { by, descending, nulls: 'last' };
  }
  private aggregateFilter(): Node {
    this.take();
    this.expectMark('(');
    this.expectWord('where');
    const filter = this.expression(0);
    this.expectMark(')');
    return filter;
  }
  /** What a form in words means, such as ltrim for TRIM(LEADING …). */
  private callName: string | null = null;

  /** The arguments, with the standard's forms that use words instead of commas. */
  private arguments(name: string): Node[] {
    if (this.isMark(')')) return [];
    switch (name) {
      case 'extract':
        return this.extractArguments();
      case 'position':
        return this.positionArguments();
      case 'substring':
        return this.substringArguments();
      case 'trim':
        return this.trimArguments();
      case 'overlay':
        return this.overlayArguments();
      case 'normalize': {
        const first = this.expression(0);
        if (!this.isMark(',')) return [first];
        this.take();
        const form = this.take();
        if (form.kind !== 'name' || !/^nfk?[cd]$/.test(form.text)) {
          if (form.kind !== 'end') this.at--;
          this.unexpected(form, 'NFC, NFD, NFKC or NFKD');
        }
        return [first, this.node({ kind: 'text' as const, value: form.text, at: form.at, end: form.end })];
      }
      default:
        return this.list();
    }
  }
  private overlayArguments(): Node[] {
    const first = this.expression(0);
    if (this.isMark(',')) {
      const rest: Node[] = [first];
      while (this.isMark(',')) {
        this.take();
        rest.push(this.expression(0));
      }
      return rest;
    }
    this.expectWord('placing');
    const placed = this.expression(0);
    this.expectWord('from');
    const from = this.expression(0);
    return this.takeWord('for') ? [first, placed, from, this.expression(0)] : [first, placed, from];
  }
  private extractArguments(): Node[] {
    const part = this.take();
    if (part.kind !== 'name' && part.kind !== 'text' && part.kind !== 'quoted') {
      this.at--;
      this.unexpected(part, 'A part such as YEAR');
    }
    this.expectWord('from');
    return [this.node({ kind: 'text' as const, value: part.text, at: part.at, end: part.end }), this.expression(0)];
  }
  private positionArguments(): Node[] {
    const needle = this.expression(POWER.like);
    if (!this.isWord('in')) this.unexpected(this.peek(), 'IN (as in position(part IN whole))');
    this.take();
    return [this.expression(POWER.like), needle];
  }
  private substringArguments(): Node[] {
    const first = this.expression(0);
    if (this.takeWord('similar')) {
      const pattern = this.expression(0);
      this.expectWord('escape');
      this.callName = 'substring similar';
      return [first, pattern, this.expression(0)];
    }
    if (this.takeWord('from')) {
      const from = this.expression(0);
      return this.takeWord('for') ? [first, from, this.expression(0)] : [first, from];
    }
    if (this.takeWord('for')) {
      const count = this.expression(0);
      if (this.takeWord('from')) return [first, this.expression(0), count];
      return [first, this.node({ kind: 'number' as const, value: '1', at: count.at, end: count.at }), count];
    }
    const rest: Node[] = [first];
    while (this.isMark(',')) {
      this.take();
      rest.push(this.expression(0));
    }
    return rest;
  }
  private trimArguments(): Node[] {
    this.callName = this.takeWord('leading')
      ? 'ltrim'
      : this.takeWord('trailing')
        ? 'rtrim'
        : this.takeWord('both')
          ? 'btrim'
          : null;
    const name = this.callName;
    let args: Node[];
    if (this.takeWord('from')) args = this.list();
    else {
      const first = this.list();
      if (this.takeWord('from')) args = [...this.list(), ...first];
      else args = first;
    }
    this.callName = name;
    return args;
  }
}
