import {
  Fault,
  isFault,
  type Learned,
  type LearnedFormat,
  type LearnedText,
  sheetWidth,
  WholeLearner,
  Workbook,
  type WorkbookFormat,
} from '@versicle/core';
import { openArchive } from './archive.ts';
import { chunksOf } from './chunks.ts';
import { type DatasetFile, stateOf, withName } from './records.ts';
import { steady } from './steady-file.ts';

/** Learns what the records of files are like from all of them. Throws a fault, with the name of the file. */
export async function learnWhole(files: readonly DatasetFile[], format: LearnedFormat): Promise<Learned> {
  return format.kind === 'xlsx' ? learnSheets(files, format) : learnText(files, format);
}
async function learnText(files: readonly DatasetFile[], format: LearnedText): Promise<Learned> {
  const learner = new WholeLearner(format);
  for (const file of files)
    await named(file, async () => {
      learner.beginFile();
      for await (const bytes of chunksOf(file.path, file.name, stateOf(file))) learner.push(bytes);
      learner.endFile();
    });
  return learner.result();
}
/** How wide the sheet of each workbook is at most. */
async function learnSheets(files: readonly DatasetFile[], format: WorkbookFormat): Promise<Learned> {
  let width = format.width ?? 1;
  let records = 0;
  for (const file of files)
    await named(file, async () => {
      const look = await steady(file.path, file.name, stateOf(file));
      const archive = await openArchive(file.path, file.name);
      try {
        const found = await sheetWidth(await Workbook.open(archive), format);
        await look();
        width = Math.max(width, found.width);
        records += found.records;
      } finally {
        archive.close();
      }
    });
  return { format: { ...format, width }, records, unread: 0 };
}
async function named(file: DatasetFile, work: () => Promise<void>): Promise<void> {
  try {
    await work();
  } catch (error) {
    throw isFault(error, 'unreadable') ? new Fault('unreadable', withName(file.name, error.message)) : error;
  }
}
