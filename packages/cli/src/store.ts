import { Fault } from '@versicle/core';
import { backup, copy, placeOf, requireBackup, restore } from '@versicle/store';
import { createWriteStream, existsSync, renameSync, rmSync } from 'node:fs';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { ReadableStream } from 'node:stream/web';
import { parseArgs } from 'node:util';
import { fetchFile, noSuch, onlyOne, REMOTE_OPTIONS, remoteOf, type Remote } from './remote.ts';

const WORDS = ['backup', 'restore', 'copy'] as const;

/** `versicle store backup FILE | restore FILE --to PLACE | copy --from PLACE --to PLACE`. */
export async function store(argv: string[], print: (text: string) => void): Promise<number> {
  const { values, positionals } = parseArgs({
    args: argv,
    allowPositionals: true,
    options: {
      ...REMOTE_OPTIONS,
      from: { type: 'string' },
      to: { type: 'string' },
      'go-on': { type: 'boolean' },
    },
  });
  const [what, ...rest] = positionals;
  switch (what as (typeof WORDS)[number]) {
    case 'backup': {
      const file = onlyOne(rest, 'the file: versicle store backup FILE');
      if (values.from === undefined) await backupOfServer(remoteOf(values), file);
      else await backup(placeOf(values.from), file);
      print(`the store is in ${file}; passwords in it can be opened only with the key that lies in the data directory`);
      return 0;
    }
    case 'restore': {
      const file = onlyOne(rest, 'the backup: versicle store restore FILE --to PLACE');
      await restore(file, placeOf(required(values.to, '--to')), values['go-on'] ?? false);
      print(
        `the store is in its place; runs that were not over wait for somebody${values['go-on'] ? '' : ', and plans start nothing until they are let go on'}`,
      );
      return 0;
    }
    case 'copy': {
      if (rest.length > 0)
        throw new Fault('input', 'Say where the store is and where it goes: --from PLACE --to PLACE.');
      const { tables, rows } = await copy(
        placeOf(required(values.from, '--from')),
        placeOf(required(values.to, '--to')),
      );
      print(
        `${rows.toLocaleString('en-GB')} rows of ${tables} tables are there as they were here, and this store is closed`,
      );
      return 0;
    }
    default:
      throw noSuch('store', what, WORDS);
  }
}
function required(value: string | undefined, option: string): string {
  if (value !== undefined && value !== '') return value;
  throw new Fault('input', `Name a data directory, or the URL of a PostgreSQL database, with ${option}.`);
}

/** What a server that runs sends, checked to its end before the file has its name. */
async function backupOfServer(remote: Remote, file: string): Promise<void> {
  if (existsSync(file)) throw new Fault('input', `${file} is there already; name another file.`);
  const partial = `${file}.part`;
  try {
    const body = await fetchFile(remote, '/store/backup');
    await pipeline(Readable.fromWeb(body as ReadableStream), createWriteStream(partial, { mode: 0o600 }));
    await requireBackup(partial);
    renameSync(partial, file);
  } finally {
    rmSync(partial, { force: true });
  }
}
