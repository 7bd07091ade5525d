import type { TriedWrite } from '@versicle/contract';
import { type Members, parseJsonTree, refused, type Tree } from '@versicle/core';
import { memberAt } from './answers.ts';
import { fillPath } from './body.ts';
import type { HttpClient } from './client.ts';
import { judge, type Judgement, type WriteSetting } from './judge.ts';
import { propose } from './propose.ts';

/** Sends records as a person wrote them, of which the one at `bad` (from 1) must be refused. Throws a fault. */
export async function tryWrite(
  client: HttpClient,
  write: WriteSetting,
  text: string,
  bad: number,
): Promise<TriedWrite> {
  let tree: Tree;
  try {
    tree = parseJsonTree(text);
  } catch (error) {
    throw refused(`The records are not JSON: ${(error as Error).message}.`);
  }
  const isList = Array.isArray(tree);
  const records = isList ? (tree as Tree[]) : [tree];
  if (records.length === 0 || records.length > write.batch || !records.every((r) => r instanceof Map))
    throw refused(`Write ${write.batch === 1 ? 'one record' : `up to ${write.batch} records`} as JSON.`);
  if (bad > records.length)
    throw refused(
      `There ${records.length === 1 ? 'is one record' : `are ${records.length} records`}; the one to be refused is among them.`,
    );
  const single = write.batch === 1;
  const at = fillPath(write.path, (name) => {
    const value = single ? memberAt(records[0]!, name) : null;
    return typeof value === 'string' ? value : null;
  });
  if ('missing' in at) throw refused(`The address names {${at.missing}}; the record has no such value.`);
  const list = isList ? text : `[${text}]`;
  const one = isList ? text.trim().slice(1, -1) : text;
  const answer = await client.send({
    method: write.method,
    url: client.address(at.path),
    headers: { 'content-type': 'application/json' },
    body: single ? one : write.member === null ? list : `{${JSON.stringify(write.member)}:${list}}`,
    repeatable: false,
    tries: 1,
  });
  const has = (record: Tree, id: string): boolean => {
    const members = record as Members;
    return write.idField === null ? [...members.values()].includes(id) : members.get(write.idField) === id;
  };
  const judged = judge(answer, write, records.length, (id) => {
    const found = records.flatMap((record, i) => (has(record, id) ? [i] : []));
    return found.length === 1 ? found[0]! : null;
  });
  return {
    status: answer.status,
    answer: answer.text.slice(0, 4000),
    means: meaningOf(judged, records.length),
    proposal: propose(answer, records, bad - 1) as TriedWrite['proposal'],
  };
}

function meaningOf(judged: Judgement, count: number): string {
  if (judged.kind === 'unclear') return `unclear, so that all would fail: ${judged.why}`;
  if (judged.kind === 'all refused') return `all refused: ${judged.message}`;
  const refused = judged.refused.map((r) => `record ${r.at + 1} (${r.message})`);
  if (refused.length === 0) return count === 1 ? 'taken' : 'all taken';
  return `refused: ${refused.join(', ')}; the others taken`;
}
