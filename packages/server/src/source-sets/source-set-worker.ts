import { isFault } from '@versicle/core';
import { parentPort, workerData } from 'node:worker_threads';
import { composeRecords, joinFigures, type Member, type MemberRecords } from '@versicle/source-sets';
import { isDatabaseOutage } from '@versicle/postgres';
import type { FromSourceSet, SourceSetJob, ToSourceSet } from './messages.ts';

type Refusal = Extract<FromSourceSet, { kind: 'refused' }>;

/** Composes a source set, or counts its joins, in a thread and a session of PostgreSQL of its own; both end with it. */

const { document, members, startedAt, variables, rowLimit, home, path } = workerData as SourceSetJob;
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
    home,
    tell: (records: number) => tell({ kind: 'progress', records }),
  };
  if (path === null) return tell({ kind: 'figures', figures: await joinFigures(document, all, options) });
  const { marks, ...composed } = await composeRecords(document, all, path, options);
  tell({ kind: 'composed', answer: { ...composed, marks: Object.fromEntries(marks) } });
}

/** Disk full, out of memory, more temporary files than a setting lets: the same again would end the same. */
const TOO_MUCH = ['53100', '53200', '53400'];
/** What is wrong with the way to a server is nothing that the source set could be blamed for. */
function becauseOf(error: Error): Refusal['because'] {
  const cause = (error.cause ?? error) as { readonly code?: string };
  if (home.kind === 'server' && isDatabaseOutage(cause) && !TOO_MUCH.includes(cause.code ?? '')) return 'away';
  return isFault(error, 'source set') ? 'source set' : 'fault';
}
main()
  .catch((error: Error) => tell({ kind: 'refused', message: error.message, because: becauseOf(error) }))
  .finally(() => port.close());
