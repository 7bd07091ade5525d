import { changeLine } from './edit.ts';
import type { MappingDocument } from './document.ts';

export type Question = MappingDocument['questions'][number];

/** Who says something, and when (ISO 8601). */
export interface Said {
  readonly by: string;
  readonly at: string;
}

/** Puts a question into the document; its line waits for the answer from then on. */
export function askQuestion(
  document: MappingDocument,
  question: { readonly line?: string; readonly text: string; readonly to?: string },
  { by, at }: Said,
): MappingDocument {
  const id = freeQuestionId(new Set(document.questions.map((q) => q.id)));
  const { line, text, to } = question;
  const asked: Question = {
    id,
    ...(line === undefined ? {} : { line }),
    text,
    ...(to === undefined || to === '' ? {} : { to }),
    by,
    askedAt: at,
  };
  const withQuestion = { ...document, questions: [...document.questions, asked] };
  return line === undefined ? withQuestion : changeLine(withQuestion, line, { state: 'question' });
}
/** The next id for a question that none of these have. */
export function freeQuestionId(taken: ReadonlySet<unknown>): string {
  for (let n = taken.size + 1; ; n++) {
    const id = `q${String(n).padStart(2, '0')}`;
    if (!taken.has(id)) return id;
  }
}

/** Keeps an answer. When it was the last one that the line waited for, the line is a draft again. */
export function answerQuestion(
  document: MappingDocument,
  id: string,
  answer: string,
  { by, at }: Said,
): MappingDocument {
  const questions = document.questions.map((q) => (q.id === id ? { ...q, answer, answeredBy: by, answeredAt: at } : q));
  return settled({ ...document, questions }, document.questions.find((q) => q.id === id)?.line);
}
/** Takes a question out, answered or not. */
export function withdrawQuestion(document: MappingDocument, id: string): MappingDocument {
  const questions = document.questions.filter((q) => q.id !== id);
  return settled({ ...document, questions }, document.questions.find((q) => q.id === id)?.line);
}
function settled(document: MappingDocument, lineId: string | undefined): MappingDocument {
  const line = document.lines.find((l) => l.id === lineId);
  const waits = document.questions.some((q) => q.line === lineId && q.answer === undefined);
  if (!line || line.state !== 'question' || waits) return document;
  return changeLine(document, line.id, { state: line.kind === undefined ? 'to map' : 'drafted' });
}
