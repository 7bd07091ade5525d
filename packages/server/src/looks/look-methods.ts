import type { Counted } from '@versicle/contract';
import type { DatasetProfile, ForeignSheet } from '@versicle/core';
import { readCodeTable, readDocumentWorkbook, readGrid } from '@versicle/files';
import { unpackedHere } from '../store/packed.ts';
import { toldBy, type Told } from '../structures/told-by.ts';
import { countRows } from '../systems/count.ts';
import { FolderLook } from '../systems/kinds/folder/folder-look.ts';
import type {
  Described,
  FolderPlace,
  FolderReadOptions,
  LearnedDataset,
  PreviewOptions,
  SourceBatch,
  SourcePlan,
} from '../systems/kinds/kind.ts';
import { preview } from '../systems/preview.ts';

type Profiled = Pick<DatasetProfile, 'records' | 'unreadable' | 'fields'>;

/** The records that are being read, one batch after the other; a thread reads one dataset at a time. */
let reading: AsyncGenerator<SourceBatch> | null = null;

/** All that looks into files that people bring or that lie in folders. What goes in and out is plain data. */
export const lookMethods = {
  describe: (place: FolderPlace, dataset: string): Promise<Described> => new FolderLook(place).describe(dataset),
  plan: (place: FolderPlace, dataset: string, options: FolderReadOptions): Promise<SourcePlan> =>
    new FolderLook(place).plan(dataset, options),
  /** As JSON: to hand texts from thread to thread takes longer, and holds up who asked. */
  rows: async (place: FolderPlace, dataset: string, options: Omit<PreviewOptions, 'signal'>): Promise<string> =>
    JSON.stringify(await preview(asSystem(place), dataset, options)),
  count: (place: FolderPlace, dataset: string, filter: string): Promise<Counted> =>
    countRows(asSystem(place), dataset, filter),
  learn: (place: FolderPlace, dataset: string): Promise<LearnedDataset> => new FolderLook(place).learn(dataset),
  begin: (place: FolderPlace, dataset: string, options: FolderReadOptions): Promise<void> => {
    reading = new FolderLook(place).read(dataset, options);
    return Promise.resolve();
  },
  /** Null behind the last one. */
  next: async (): Promise<SourceBatch | null> => {
    const { value, done } = await reading!.next();
    return done ? null : value;
  },
  grid: (path: string, name: string): Promise<ForeignSheet[]> => readGrid(path, name),
  codeTable: readCodeTable,
  documentWorkbook: readDocumentWorkbook,
  /** What a kept profile tells of some fields. */
  profiled: (kept: string, names: readonly string[]): Promise<Profiled> => {
    const { profile } = JSON.parse(unpackedHere(kept)) as { profile: Profiled };
    const wanted = new Set(names);
    const { records, unreadable } = profile;
    return Promise.resolve({ records, unreadable, fields: profile.fields.filter((f) => wanted.has(f.name)) });
  },
  told: (path: string, fileName: string, name: string): Promise<Told> => toldBy(path, fileName, name),
};
export type LookMethods = typeof lookMethods;

function asSystem(place: FolderPlace) {
  const look = new FolderLook(place);
  return {
    describe: (dataset: string) => look.describe(dataset),
    read: (dataset: string, options: FolderReadOptions) => look.read(dataset, options),
    sourcePlan: (dataset: string, options: FolderReadOptions) => look.plan(dataset, options),
  };
}
