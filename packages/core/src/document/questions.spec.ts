import { answerQuestion, askQuestion, parseDocument, withdrawQuestion, type MappingDocument } from '../index.ts';

const document = parseDocument({
  versicle: 1,
  name: 'Members',
  source: { primary: { alias: 'm', dataset: 'files/members.csv' } },
  target: {
    dataset: 'store/member',
    fields: [
      { name: 'plan', type: 'text' },
      { name: 'town', type: 'text' },
    ],
  },
  lines: [
    { id: 'l1', target: 'plan', kind: 'straight', source: 'm.tariff', state: 'agreed' },
    { id: 'l2', target: 'town', state: 'to map' },
  ],
});
const asked = { by: 'Ines Marlowe', at: '2026-11-20T09:40:00Z' };
const answered = { by: 'Oda Fenn', at: '2026-11-21T10:00:00Z' };
const stateOf = (d: MappingDocument, line: string): string => d.lines.find((l) => l.id === line)!.state;

describe('questions on a line', () => {
  const one = askQuestion(document, { line: 'l1', text: 'What is Z?', to: 'Oda Fenn' }, asked);
  it('are kept with who asked whom and when; the line waits', () => {
    expect(one.questions).toEqual([
      { id: 'q01', line: 'l1', text: 'What is Z?', to: 'Oda Fenn', by: 'Ines Marlowe', askedAt: asked.at },
    ]);
    expect(stateOf(one, 'l1')).toBe('question');
    expect(stateOf(document, 'l1')).toBe('agreed');
  });
  it('keep their answers, and the line is a draft again when none is open', () => {
    const two = askQuestion(one, { line: 'l1', text: 'And S?' }, asked);
    const first = answerQuestion(two, 'q01', 'They stay behind.', answered);
    expect(stateOf(first, 'l1')).toBe('question');
    const both = answerQuestion(first, 'q02', 'Students', answered);
    expect(stateOf(both, 'l1')).toBe('drafted');
    expect(both.questions[0]).toMatchObject({ answer: 'They stay behind.', answeredBy: 'Oda Fenn' });
  });
  it('can be withdrawn; a line that nothing fills is to map again', () => {
    const open = askQuestion(document, { line: 'l2', text: 'Which town?' }, asked);
    expect(withdrawQuestion(open, 'q01')).toEqual(document);
    expect(parseDocument(JSON.parse(JSON.stringify(open)))).toEqual(open);
  });
  it('may be about the document as a whole', () => {
    const whole = askQuestion(document, { text: 'Who signs?', to: '' }, asked);
    expect(whole.questions[0]).not.toHaveProperty('line');
    expect(answerQuestion(whole, 'q01', 'Oda', answered).lines).toBe(whole.lines);
  });
});
