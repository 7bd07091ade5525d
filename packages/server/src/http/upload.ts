import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

/** Puts a file that came, as bytes or as Base64, where it can be read, under a name of ours with its own ending; gone afterwards. */
export async function withUpload<T>(
  fileName: string,
  content: string | Uint8Array,
  use: (path: string) => Promise<T>,
): Promise<T> {
  const folder = mkdtempSync(join(tmpdir(), 'versicle-upload-'));
  const ending = /\.(xlsx|xlsm|csv|tsv|txt|json|jsonl)(\.gz)?$/i.exec(fileName)?.[0].toLowerCase() ?? '.csv';
  const path = join(folder, `upload${ending}`);
  try {
    writeFileSync(path, typeof content === 'string' ? Buffer.from(content, 'base64') : content);
    return await use(path);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
