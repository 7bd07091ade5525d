import { nearest } from '../../words.ts';
import { RuleError } from '../errors.ts';
import { fieldText } from '../print.ts';
import type { ScopeField } from '../scope.ts';
import type { Checking } from '../checking.ts';
import type { Checked } from '../checked.ts';
import type { Node } from '../syntax.ts';

export function field(c: Checking, node: Extract<Node, { kind: 'field' }>): Checked {
  const { alias, name } = node;
  const found = c.scope.fields.filter((f) => f.name === name && (alias === null || f.alias === alias));
  if (found.length === 1)
    return { kind: 'slot', slot: found[0]!.slot, type: found[0]!.type, at: node.at, end: node.end };
  if (found.length > 1)
    throw new RuleError(
      `“${name}” is a field of ${found.map((f) => f.alias).join(' and ')}; write ${found[0]!.alias}.${name}.`,
      node.at,
      node.end,
      `${found[0]!.alias}.${name}`,
    );
  const shown = alias === null ? name : `${alias}.${name}`;
  if (c.scope.ungrouped?.some((f) => f.name === name && (alias === null || f.alias === alias)))
    throw new RuleError(
      `${shown} differs within a group; group by it too, or take one value of it, such as min(${shown}).`,
      node.at,
      node.end,
      `min(${shown})`,
    );
  const aliases = [...new Set(c.scope.fields.map((f) => f.alias))];
  if (alias !== null && !aliases.includes(alias)) {
    const sameName = c.scope.fields.find((f) => f.name === name);
    const proposal = sameName ? written(sameName) : undefined;
    const known = aliases.filter((a) => a !== null);
    throw new RuleError(
      `There is no source called “${alias}”.${known.length ? ` Known here: ${known.join(', ')}.` : ''}${proposal ? ` Did you mean ${proposal}?` : ''}`,
      node.at,
      node.end,
      proposal,
    );
  }
  const candidates = c.scope.fields.filter((f) => alias === null || f.alias === alias);
  const near = nearest(
    name,
    candidates.map((f) => f.name),
  );
  const field = near === null ? undefined : candidates.find((f) => f.name === near);
  const proposal = field ? written(field, alias === null) : undefined;
  throw new RuleError(
    `There is no field “${shown}”.${proposal ? ` Did you mean ${proposal}?` : candidates.length === 0 ? ' No fields are known here.' : ''}`,
    node.at,
    node.end,
    proposal,
  );
}

export function variable(c: Checking, node: Extract<Node, { kind: 'variable' }>): Checked {
  const known = c.scope.variables ?? {};
  if (Object.hasOwn(known, node.name))
    return { kind: 'variable', name: node.name, type: known[node.name]!, at: node.at, end: node.end };
  const near = nearest(node.name, Object.keys(known));
  if (near === null && c.scope.furtherVariables)
    return { kind: 'variable', name: node.name, type: 'text', at: node.at, end: node.end };
  throw new RuleError(
    `There is no variable :${node.name}.${near ? ` Did you mean :${near}?` : ''}`,
    node.at,
    node.end,
    near ? `:${near}` : undefined,
  );
}

function written(field: ScopeField, withoutAlias = false): string {
  return fieldText(withoutAlias ? null : field.alias, field.name);
}
