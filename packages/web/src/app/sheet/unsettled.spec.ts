import type { MappingDocument } from '@versicle/core';
import { unsettledWords } from './unsettled';

const document = (states: string[], answers: (string | undefined)[] = []): MappingDocument =>
  ({ lines: states.map((state) => ({ state })), questions: answers.map((answer) => ({ answer })) }) as never;

describe('what nobody has settled', () => {
  it('is said in one sentence', () => {
    expect(unsettledWords(document(['drafted', 'agreed', 'drafted', 'to map'], [undefined, 'yes']))).toBe(
      'Two lines are drafted and signed by nobody, one question is open and one line is to map and would fill nothing. It can be published all the same.',
    );
    expect(unsettledWords(document(['drafted']))).toBe(
      'One line is drafted and signed by nobody. It can be published all the same.',
    );
  });
  it('is nothing where all is agreed or left out on purpose', () =>
    expect(unsettledWords(document(['agreed', 'not loaded'], ['yes']))).toBe(''));
});
