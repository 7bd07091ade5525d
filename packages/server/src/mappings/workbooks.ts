import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { WorkbookRead } from '@versicle/contract';
import {
  documentDifference,
  isFault,
  type MappingDocument,
  mergeDocuments,
  refused,
  withAllLines,
  withStaleAgreements,
  type WorkbookFacts,
} from '@versicle/core';
import { writeDocumentWorkbook } from '@versicle/files';
import type { Systems } from '../systems/systems.ts';
import type { Mappings } from './mappings.ts';

/** Mapping documents as workbooks: out to people who only ever see those, and back. */
export class Workbooks {
  constructor(
    private readonly mappings: Mappings,
    private readonly systems: Systems,
  ) {}

  /** Writes the draft into a file of its own and hands its path over; the file is gone when `use` has ended. */
  async give(id: string, use: (path: string) => Promise<void>): Promise<void> {
    const { document } = await this.mappings.draft(id);
    const facts = await this.facts(id, document);
    await this.inFolder(async (folder) => {
      const path = join(folder, 'document.xlsx');
      try {
        await writeDocumentWorkbook(path, document, facts);
      } catch (error) {
        throw isFault(error, 'unwritable') ? refused(error.message.replace(`${path} `, 'The workbook ')) : error;
      }
      await use(path);
    });
  }

  /** What the title page says beside the document: revisions, what changed since, who agreed, names of systems. */
  private async facts(id: string, document: MappingDocument): Promise<WorkbookFacts> {
    const revisions = await this.mappings.revisions(id);
    const revision = revisions[0]?.number ?? null;
    const changed =
      revision === null
        ? undefined
        : documentDifference(withAllLines(await this.mappings.revision(id, revision)), withAllLines(document));
    const states = await this.mappings.history.states(id);
    const agreedBy = document.lines.flatMap((l) =>
      l.state === 'agreed' ? (states.get(`${id} ${l.id}`)?.by ?? []) : [],
    );
    const systems = new Map((await this.systems.list()).map((s) => [s.id, s.name]));
    return { id, revision, revisions, agreedBy: [...new Set(agreedBy)], systems, ...(changed ? { changed } : {}) };
  }

  async read(id: string, fileName: string, content: string): Promise<WorkbookRead> {
    const { document: draft } = await this.mappings.draft(id);
    return this.inFolder(async (folder) => {
      const path = join(folder, 'document.xlsx');
      writeFileSync(path, Buffer.from(content, 'base64'));
      try {
        const {
          document: read,
          mapping,
          base,
          mistaken,
        } = await this.systems.looks.ask(fileName, 'documentWorkbook', [path, fileName]);
        const ofOther = mapping !== null && mapping !== id ? mapping : null;
        // What changed in the draft since the workbook went out stays, where the workbook did not change it, too.
        const { document, clashes } =
          base === null || ofOther !== null
            ? { document: read, clashes: [] }
            : mergeDocuments(withAllLines(base), withAllLines(draft), withAllLines(read));
        const now = withStaleAgreements(withAllLines(draft), withAllLines(document));
        const { lines, other } = documentDifference(withAllLines(draft), now);
        return {
          document: now,
          difference: {
            from: 'draft',
            to: fileName,
            lines: lines.map((l) => ({ ...l, parts: [...l.parts] })),
            other: [...other],
          },
          clashes: [...clashes],
          mistaken: mistaken.map((m) => ({ ...m, choices: [...m.choices] })),
          ofOther,
        };
      } catch (error) {
        if (isFault(error, 'document'))
          throw refused(
            `${fileName} can’t be read as a mapping document. ${error.details[0]!.path ? `${error.details[0]!.path}: ` : ''}${error.details[0]!.message}`,
            error.details,
          );
        throw error;
      }
    });
  }

  private async inFolder<T>(use: (folder: string) => Promise<T>): Promise<T> {
    const folder = mkdtempSync(join(tmpdir(), 'versicle-workbook-'));
    try {
      return await use(folder);
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  }
}
