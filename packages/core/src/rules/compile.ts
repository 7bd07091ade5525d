import type { Checked } from './checked.ts';
import { BEYOND, noValueFor, type Compiled } from './context.ts';

/** A checked rule to a closure. The closures hold no state between records, except a CASE operand's cell. */
export function compileChecked(node: Checked): Compiled {
  switch (node.kind) {
    case 'const': {
      const { value } = node;
      return () => value;
    }
    case 'slot': {
      const { slot } = node;
      return (ctx) => ctx.row[slot]!;
    }
    case 'variable': {
      const { name } = node;
      const isBeyond = BEYOND.has(name);
      return (ctx) => {
        if (isBeyond) ctx.askedBeyond = true;
        const value = ctx.variables[name];
        if (value !== undefined) return value;
        ctx.site = node;
        return ctx.fail(noValueFor([name]));
      };
    }
    case 'cell': {
      const { cell } = node;
      return () => cell.value;
    }
    case 'let': {
      const value = compileChecked(node.value);
      const body = compileChecked(node.body);
      const { cell } = node;
      return (ctx) => {
        cell.value = value(ctx);
        return body(ctx);
      };
    }
    case 'and':
      return compileLogic(node.args.map(compileChecked), false);
    case 'or':
      return compileLogic(node.args.map(compileChecked), true);
    case 'coalesce':
      return compileCoalesce(node.args.map(compileChecked));
    case 'case':
      return compileCase(node);
    case 'call':
      return compileCall(node);
  }
}

/** Three-valued AND (decided by false) and OR (decided by true); the rest is not evaluated once it is decided. */
function compileLogic(args: readonly Compiled[], decisive: boolean): Compiled {
  if (args.length === 2) {
    const [a, b] = args as [Compiled, Compiled];
    return (ctx) => {
      const x = a(ctx);
      if (x === decisive || ctx.fault !== null) return x;
      const y = b(ctx);
      return y === decisive ? decisive : x === null || y === null ? null : !decisive;
    };
  }
  return (ctx) => {
    let unknown = false;
    for (const arg of args) {
      const value = arg(ctx);
      if (value === decisive || ctx.fault !== null) return value;
      if (value === null) unknown = true;
    }
    return unknown ? null : !decisive;
  };
}

function compileCoalesce(args: readonly Compiled[]): Compiled {
  return (ctx) => {
    for (const arg of args) {
      const value = arg(ctx);
      if (value !== null || ctx.fault !== null) return value;
    }
    return null;
  };
}

function compileCase(node: Extract<Checked, { kind: 'case' }>): Compiled {
  const branches = node.branches.map((b) => ({ when: compileChecked(b.when), then: compileChecked(b.then) }));
  const otherwise = node.otherwise ? compileChecked(node.otherwise) : () => null;
  if (branches.length === 1) {
    const { when, then } = branches[0]!;
    return (ctx) => (when(ctx) === true ? then(ctx) : otherwise(ctx));
  }
  return (ctx) => {
    for (const branch of branches) {
      if (branch.when(ctx) === true) return branch.then(ctx);
      if (ctx.fault !== null) return null;
    }
    return otherwise(ctx);
  };
}

function compileCall(node: Extract<Checked, { kind: 'call' }>): Compiled {
  const { run, strict } = node;
  const site = { at: node.at, end: node.end };
  const args = node.args.map(compileChecked);
  const [a, b, c] = args as [Compiled, Compiled, Compiled];
  if (!strict)
    return (ctx) => {
      const values = args.map((arg) => arg(ctx));
      ctx.site = site;
      return run(...values, ctx);
    };
  switch (args.length) {
    case 0:
      return (ctx) => run(ctx);
    case 1:
      return (ctx) => {
        const x = a(ctx);
        if (x === null) return null;
        ctx.site = site;
        return run(x, ctx);
      };
    case 2: {
      const second = node.args[1]!;
      if (second.kind === 'const' && second.value !== null) {
        const y = second.value;
        return (ctx) => {
          const x = a(ctx);
          if (x === null) return null;
          ctx.site = site;
          return run(x, y, ctx);
        };
      }
      return (ctx) => {
        const x = a(ctx);
        const y = b(ctx);
        if (x === null || y === null) return null;
        ctx.site = site;
        return run(x, y, ctx);
      };
    }
    case 3:
      return (ctx) => {
        const x = a(ctx);
        const y = b(ctx);
        const z = c(ctx);
        if (x === null || y === null || z === null) return null;
        ctx.site = site;
        return run(x, y, z, ctx);
      };
    default:
      return (ctx) => {
        const values = args.map((arg) => arg(ctx));
        if (values.includes(null)) return null;
        ctx.site = site;
        return run(...values, ctx);
      };
  }
}
