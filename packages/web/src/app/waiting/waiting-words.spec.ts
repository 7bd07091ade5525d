import type { WaitingForSystem } from '@versicle/contract';
import { changedWords, valuesLine, waitingWords } from './waiting-words';

describe('what waits, in words', () => {
  const none: WaitingForSystem = {
    waiting: 0,
    held: 0,
    opens: null,
    outage: null,
    pace: '',
    until: null,
    groups: [],
    answers: [],
  };
  const today = (hour: number): string => {
    const at = new Date();
    at.setHours(hour, 0, 0, 0);
    return at.toISOString();
  };
  it('adds up to a sentence, with what is known of when', () => {
    expect(waitingWords(none)).toBe('Nothing waits.');
    expect(waitingWords({ ...none, waiting: 1 })).toBe('One record waits.');
    expect(waitingWords({ ...none, waiting: 1240, held: 2, opens: today(22), until: today(23) })).toBe(
      '1,240 records wait, two of them held. Its window opens today 22:00:00; the others are sent about today 23:00:00.',
    );
    // What is held goes at no time.
    expect(waitingWords({ ...none, waiting: 3, held: 3, until: today(23) })).toBe('Three records wait, held.');
  });
  it('says what was done, and what came too late', () => {
    expect(changedWords('hold', { done: 1, gone: 0 })).toBe('One record is held.');
    expect(changedWords('skip', { done: 30, gone: 1 })).toBe(
      '30 records are skipped; the reason is kept with them. 1 was sent before that could be done.',
    );
  });
  it('leaves out fields that have no value', () => {
    const values = [
      { name: 'no', value: '7' },
      { name: 'mail', value: null },
      { name: 'name', value: 'Ada' },
    ];
    expect(valuesLine({ values } as never)).toBe('no 7 · name Ada');
  });
});
