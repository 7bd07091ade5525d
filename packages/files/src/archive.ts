import { type Archive, Fault, isFault } from '@versicle/core';
import { readSample } from './chunks.ts';
import { crc32 } from 'node:zlib';
import yauzl, { type Entry, type ZipFile } from 'yauzl';

/** Unpacked bytes of one part at the most. */
const MAX_PART = 2 * 1024 ** 3;
/** A part larger than this must not be packed tighter than the ratio below: real sheets reach 30, bombs 1,000. */
const SUSPICIOUS = 64 * 1024 ** 2;
const MAX_RATIO = 150;

export interface OpenArchive extends Archive {
  /** Unpacks one part to its end, to know that it is as it was packed before anything of it counts. Throws a fault. */
  check(part: string): Promise<void>;
  close(): void;
}

/**
 * A ZIP archive on disk. Sizes are checked before anything is unpacked; what is unpacked is counted and summed up (CRC-32), so
 * that a part with a byte that is not as it was packed throws at its end. Throws a fault.
 */
export async function openArchive(path: string, name: string): Promise<OpenArchive> {
  await requireZip(path, name);
  const zip = await new Promise<ZipFile>((resolve, reject) =>
    yauzl.open(path, { lazyEntries: true, autoClose: false, validateEntrySizes: true }, (error, file) =>
      error
        ? reject(
            new Fault(
              'unreadable',
              `${name} is not a sound ZIP archive; it may be cut short or damaged (${error.message}).`,
            ),
          )
        : resolve(file!),
    ),
  );
  let entries: Map<string, Entry>;
  try {
    entries = await listEntries(zip, name);
  } catch (error) {
    zip.close();
    throw error;
  }
  return {
    names: [...entries.keys()],
    read: (part) => unpack(zip, entries.get(part), part, name),
    check: async (part) => {
      const bytes = unpack(zip, entries.get(part), part, name);
      while (!(await bytes.next()).done);
    },
    close: () => zip.close(),
  };
}

/** Workbooks that are kept from others by a password lie in a container of their own kind. */
async function requireZip(path: string, name: string): Promise<void> {
  const [a, b, c, d] = await readSample(path, 4, name);
  if (a === 0xd0 && b === 0xcf && c === 0x11 && d === 0xe0)
    throw new Fault(
      'unreadable',
      `${name} is protected by a password, or is a workbook of the old binary form under another name; save it as .xlsx without a password.`,
    );
}

function listEntries(zip: ZipFile, name: string): Promise<Map<string, Entry>> {
  return new Promise((resolve, reject) => {
    const entries = new Map<string, Entry>();
    zip.on('error', (error: Error) =>
      reject(new Fault('unreadable', `${name}: its table of contents is damaged (${error.message}).`)),
    );
    zip.on('end', () => resolve(entries));
    zip.on('entry', (entry: Entry) => {
      entries.set(entry.fileName, entry);
      if (entries.size > 20_000)
        return reject(new Fault('unreadable', `${name} holds more than 20,000 parts; no workbook does.`));
      zip.readEntry();
    });
    zip.readEntry();
  });
}

async function* unpack(zip: ZipFile, entry: Entry | undefined, part: string, name: string): AsyncGenerator<Uint8Array> {
  if (!entry) throw new Fault('unreadable', `${name}: the part ${part} is missing.`);
  const { uncompressedSize: size, compressedSize: packed } = entry;
  if (size > MAX_PART || (size > SUSPICIOUS && size > packed * MAX_RATIO))
    throw new Fault(
      'unreadable',
      `${name}: ${part} is ${megabytes(packed)} packed and says it is ${megabytes(size)} unpacked; no workbook is like that, so it is not unpacked.`,
    );
  const stream = await new Promise<AsyncIterable<Uint8Array>>((resolve, reject) =>
    zip.openReadStream(entry, (error, found) =>
      error
        ? reject(new Fault('unreadable', `${name}: ${part} can't be unpacked (${error.message}).`))
        : resolve(found!),
    ),
  );
  let sum = 0;
  try {
    for await (const bytes of stream) {
      sum = crc32(bytes, sum);
      yield bytes;
    }
    // Zero is what writers put there that don't make one.
    if (entry.crc32 !== 0 && sum !== entry.crc32) throw new Error('its check sum is another one');
  } catch (error) {
    if (isFault(error, 'unreadable')) throw error;
    throw new Fault('unreadable', `${name}: ${part} is damaged or cut short (${(error as Error).message}).`);
  }
}
const megabytes = (bytes: number): string =>
  `${(bytes / 1024 ** 2).toLocaleString('en-GB', { maximumFractionDigits: 1 })} MB`;
