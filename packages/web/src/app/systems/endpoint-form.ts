import { choicesOf, type FormField } from '../shared/form/form-field';
import type { EndpointText } from './endpoint-text';
import { ANSWER_WORDS, PAGING_WORDS, PLACE_WORDS, REPEAT_WORDS } from './endpoint-text';

type Entry = FormField & { readonly name: keyof EndpointText };
type More = Partial<Omit<FormField, 'name'>>;
const text = (name: Entry['name'], title: string, more: More = {}): Entry => ({ name, title, type: 'text', ...more });
const choice = (
  name: Entry['name'],
  title: string,
  words: Readonly<Record<string, string>>,
  more: More = {},
): Entry => ({ name, title, type: 'choice', choices: choicesOf(words), ...more });
const number = (name: Entry['name'], title: string, when: FormField['when']): Entry => ({
  name,
  title,
  type: 'number',
  when,
});

const written = { entry: 'writePath' };
const isFound = { entry: 'findField' };
const answered = (...is: string[]): FormField['when'] => ({ entry: 'answer', is });

/** An endpoint of an API, as people describe it. */
export const ENDPOINT_FORM: readonly Entry[] = [
  text('path', 'Path', { wide: true, hint: 'such as /members, or /stations/{code}/status' }),
  text('records', 'Where the records are', { hint: 'guessed; such as data.items' }),
  choice('body', 'Answers with', { json: 'JSON', xml: 'XML' }),
  choice('paging', 'Pages', PAGING_WORDS),
  text('parameter', 'Parameter of the page', { when: { entry: 'paging', is: ['page', 'offset', 'cursor'] } }),
  text('next', 'Where the next one is named', {
    when: { entry: 'paging', is: ['cursor', 'link'] },
    hint: 'such as paging.next; of addresses, empty: the Link header',
  }),
  text('sizeParameter', 'Parameter of the size', { when: { entry: 'paging', is: ['page', 'offset'] } }),
  number('size', 'Records in a page', { entry: 'paging', is: ['page', 'offset'] }),
  text('query', 'Query parameters', { wide: true, hint: 'such as since={{today-7d}}&active=true' }),
  text('parent', 'For each record of', { hint: 'another dataset, or empty' }),
  text('findField', 'Found by the field', { hint: 'empty: joins read all of it' }),
  text('findPath', 'Asked for at', { wide: true, when: isFound, hint: 'such as /bikes/{key}, or /members?no={keys}' }),
  number('atOnce', 'Keys in a request', { entry: 'findPath', has: '{keys}' }),
  text('findRecords', 'Where the found ones are', { when: isFound, hint: 'empty: as in the others' }),
  text('writePath', 'Written to', { hint: 'empty: only read; POST /members' }),
  number('batch', 'Records in a request', written),
  text('member', 'Member with the list', { when: written, hint: 'empty: the body is the list' }),
  choice('answer', 'What was taken is told by', ANSWER_WORDS, { when: written }),
  text('errors', 'List of refusals', { when: answered('errors'), hint: 'errors' }),
  choice('place', 'A refusal names its record by', PLACE_WORDS, { when: answered('errors') }),
  text('errorIndex', 'In its member', { when: answered('errors'), hint: 'index' }),
  text('idField', 'Which is the target field', { when: { entry: 'place', is: ['id'] }, hint: 'external_no' }),
  text('results', 'List of results', { when: answered('results'), hint: 'results' }),
  text('resultStatus', 'Their status', { when: answered('results'), hint: 'status' }),
  text('taken', 'Taken where it is', { when: answered('results'), wide: true, hint: '200, 201, ok' }),
  text('success', 'Member that means success', { when: answered('success'), hint: 'success' }),
  text('successValue', 'Its value', { when: answered('success'), hint: 'true' }),
  choice('repeat', 'A request that comes again is known by', REPEAT_WORDS, { when: written }),
  text('repeatHeader', 'Header with the key', { when: { entry: 'repeat', is: ['key'] }, hint: 'Idempotency-Key' }),
  text('repeatPath', 'Looked up at', {
    when: { entry: 'repeat', is: ['look-up'] },
    wide: true,
    hint: 'such as /members/{external_no}',
  }),
];
