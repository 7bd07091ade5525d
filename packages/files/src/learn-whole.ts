import { Fault, isFault, type Learned, type LearnedFormat, WholeLearner } from '@versicle/core';
import { chunksOf } from './chunks.ts';
import { type DatasetFile, stateOf, withName } from './records.ts';

/** Learns what the records of files are like from all of them. Throws a fault, with the name of the file. */
export async function learnWhole(files: readonly DatasetFile[], format: LearnedFormat): Promise<Learned> {
  const learner = new WholeLearner(format);
  for (const file of files)
    try {
      learner.beginFile();
      for await (const bytes of chunksOf(file.path, file.name, stateOf(file))) learner.push(bytes);
      learner.endFile();
    } catch (error) {
      throw isFault(error, 'unreadable') ? new Fault('unreadable', withName(file.name, error.message)) : error;
    }
  return learner.result();
}
