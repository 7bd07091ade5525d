import { isFault } from '@versicle/core';
import { parentPort, workerData } from 'node:worker_threads';
import { composeRecords, joinFigures, type Member, type MemberRecords } from '@versicle/source-sets';
import type { FromSourceSet, SourceSetJob, ToSourceSet } from './messages.ts';

/** Composes a source set, or counts its joins, in a thread and a PostgreSQL of its own; both end with it. */

const { document, members, startedAt, variables, rowLimit, template, path } = workerData as SourceSetJob;
const port = parentPort!;
const tell = (message: FromSourceSet): void => port.postMessage(message);

const waiting = new Map<number, (records: MemberRecords) => void>();
port.on('message', ({ member, records }: ToSourceSet) => waiting.get(member)?.(records));
const all = members.map(
  (member, i): Member =>
    member ??
    ((wanted) =>
      new Promise((resolve) => {
        waiting.set(i, resolve);
        tell({ kind: 'fetch', member: i, wanted });
      })),
);

async function main(): Promise<void> {
  const options = {
    rowLimit,
    startedAt,
    variables,
    template,
    tell: (records: number) => tell({ kind: 'progress', records }),
  };
  if (path === null) return tell({ kind: 'figures', figures: await joinFigures(document, all, options) });
  const { marks, ...composed } = await composeRecords(document, all, path, options);
  tell({ kind: 'composed', answer: { ...composed, marks: Object.fromEntries(marks) } });
}

main()
  .catch((error: Error) => tell({ kind: 'refused', message: error.message, expected: isFault(error, 'source set') }))
  .finally(() => port.close());
