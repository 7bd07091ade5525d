import { learnedWords } from './system-words';

describe('what was learned of a dataset', () => {
  it.each([
    [{ records: 1, unread: 0, added: [] }, 'Learned from its one record; nothing in it is new.'],
    [{ records: 640, unread: 0, added: [] }, 'Learned from all 640 records; nothing in them is new.'],
    [
      { records: 12_001, unread: 1, added: ['late', 'tags/value'] },
      'Learned from all 12,001 records; two fields more: late, tags/value. One can’t be read, and nothing was learned from it.',
    ],
    [
      { records: 9, unread: 3, added: ['a', 'b', 'c', 'd', 'e', 'f', 'g', 'h'] },
      'Learned from all nine records; eight fields more: a, b, c, d, e, f and two more. Three can’t be read, and nothing was learned from them.',
    ],
  ])('%j', (learned, words) => expect(learnedWords(learned)).toBe(words));
});
