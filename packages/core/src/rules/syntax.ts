/** The syntax tree of a rule. `at` and `end` are 0-based offsets into the rule's text. */
interface Base {
  readonly at: number;
  readonly end: number;
}
export type Node = Base &
  (
    | { readonly kind: 'text'; readonly value: string }
    | { readonly kind: 'number'; readonly value: string }
    | { readonly kind: 'boolean'; readonly value: boolean }
    | { readonly kind: 'null' }
    | { readonly kind: 'field'; readonly alias: string | null; readonly name: string }
    | { readonly kind: 'variable'; readonly name: string }
    | { readonly kind: 'unary'; readonly op: '-' | '+' | 'not'; readonly arg: Node }
    | { readonly kind: 'binary'; readonly op: string; readonly left: Node; readonly right: Node }
    | {
        readonly kind: 'is';
        readonly test: 'null' | 'true' | 'false' | 'unknown';
        readonly not: boolean;
        readonly arg: Node;
      }
    | { readonly kind: 'distinct'; readonly not: boolean; readonly left: Node; readonly right: Node }
    | {
        readonly kind: 'in';
        readonly not: boolean;
        readonly arg: Node;
        readonly list: readonly Node[];
        /** Written as = ANY (ARRAY[…]) or <> ALL (ARRAY[…]). */
        readonly asArray?: boolean;
      }
    | {
        readonly kind: 'between';
        readonly not: boolean;
        readonly symmetric: boolean;
        readonly arg: Node;
        readonly low: Node;
        readonly high: Node;
      }
    | {
        readonly kind: 'like';
        readonly not: boolean;
        readonly insensitive: boolean;
        readonly arg: Node;
        readonly pattern: Node;
        readonly escape: Node | null;
      }
    | {
        readonly kind: 'case';
        readonly arg: Node | null;
        readonly branches: readonly { readonly when: Node; readonly then: Node }[];
        readonly otherwise: Node | null;
      }
    | {
        readonly kind: 'cast';
        readonly arg: Node;
        readonly type: string;
        readonly typeAt: number;
        readonly typeEnd: number;
      }
    | { readonly kind: 'array'; readonly items: readonly Node[] }
    | { readonly kind: 'subscript'; readonly arg: Node; readonly index: Node }
    | {
        readonly kind: 'call';
        readonly name: string;
        readonly nameEnd: number;
        readonly args: readonly Node[];
        /** What only an aggregate can be told. */
        readonly over?: AggregateOver;
      }
  );
/** count(*), and the words inside and behind an aggregate's brackets. */
export interface AggregateOver {
  readonly star: boolean;
  readonly distinct: boolean;
  readonly orderBy: readonly SortKey[];
  readonly filter: Node | null;
}
export interface SortKey {
  readonly by: Node;
  readonly descending: boolean;
  /** Null where nothing is said: last when ascending, first when descending. */
  readonly nulls: 'first' | 'last' | null;
}
export type NodeKind = Node['kind'];

/** Visits every node of a syntax tree, outside in; what stands below a node for which `visit` says false is left out. */
export function walk(node: Node, visit: (node: Node) => boolean | void): void {
  const pending: Node[] = [node];
  while (pending.length > 0) {
    const next = pending.pop()!;
    if (visit(next) === false) continue;
    pending.push(...childrenOf(next).reverse());
  }
}
function childrenOf(node: Node): Node[] {
  switch (node.kind) {
    case 'unary':
    case 'is':
    case 'cast':
      return [node.arg];
    case 'binary':
    case 'distinct':
      return [node.left, node.right];
    case 'in':
      return [node.arg, ...node.list];
    case 'between':
      return [node.arg, node.low, node.high];
    case 'like':
      return [node.arg, node.pattern, ...(node.escape ? [node.escape] : [])];
    case 'case':
      return [
        ...(node.arg ? [node.arg] : []),
        ...node.branches.flatMap((b) => [b.when, b.then]),
        ...(node.otherwise ? [node.otherwise] : []),
      ];
    case 'call':
      return [
        ...node.args,
        ...(node.over?.orderBy.map((k) => k.by) ?? []),
        ...(node.over?.filter ? [node.over.filter] : []),
      ];
    case 'array':
      return [...node.items];
    case 'subscript':
      return [node.arg, node.index];
    default:
      return [];
  }
}
