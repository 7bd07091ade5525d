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
  text('path', $localize`Path`, { wide: true, hint: $localize`such as /members, or /stations/{code}/status` }),
  text('records', $localize`Where the records are`, { hint: $localize`guessed; such as data.items` }),
  choice('body', $localize`Answers with`, { json: 'JSON', xml: 'XML' }),
  choice('paging', $localize`Pages`, PAGING_WORDS),
  text('parameter', $localize`Parameter of the page`, { when: { entry: 'paging', is: ['page', 'offset', 'cursor'] } }),
  text('next', $localize`Where the next one is named`, {
    when: { entry: 'paging', is: ['cursor', 'link'] },
    hint: $localize`such as paging.next; of addresses, empty: the Link header`,
  }),
  text('sizeParameter', $localize`Parameter of the size`, { when: { entry: 'paging', is: ['page', 'offset'] } }),
  number('size', $localize`Records in a page`, { entry: 'paging', is: ['page', 'offset'] }),
  text('query', $localize`Query parameters`, { wide: true, hint: $localize`such as since={{today-7d}}&active=true` }),
  text('parent', $localize`For each record of`, { hint: $localize`another dataset, or empty` }),
  text('findField', $localize`Found by the field`, { hint: $localize`empty: joins read all of it` }),
  text('findPath', $localize`Asked for at`, {
    wide: true,
    when: isFound,
    hint: $localize`such as /bikes/{key}, or /members?no={keys}`,
  }),
  number('atOnce', $localize`Keys in a request`, { entry: 'findPath', has: '{keys}' }),
  text('findRecords', $localize`Where the found ones are`, { when: isFound, hint: $localize`empty: as in the others` }),
  text('writePath', $localize`Written to`, { hint: $localize`empty: only read; POST /members` }),
  number('batch', $localize`Records in a request`, written),
  text('member', $localize`Member with the list`, { when: written, hint: $localize`empty: the body is the list` }),
  choice('answer', $localize`What was taken is told by`, ANSWER_WORDS, { when: written }),
  text('errors', $localize`List of refusals`, { when: answered('errors'), hint: 'errors' }),
  choice('place', $localize`A refusal names its record by`, PLACE_WORDS, { when: answered('errors') }),
  text('errorIndex', $localize`In its member`, { when: answered('errors'), hint: 'index' }),
  text('idField', $localize`Which is the target field`, { when: { entry: 'place', is: ['id'] }, hint: 'external_no' }),
  text('results', $localize`List of results`, { when: answered('results'), hint: 'results' }),
  text('resultStatus', $localize`Their status`, { when: answered('results'), hint: 'status' }),
  text('taken', $localize`Taken where it is`, { when: answered('results'), wide: true, hint: $localize`200, 201, ok` }),
  text('success', $localize`Member that means success`, { when: answered('success'), hint: 'success' }),
  text('successValue', $localize`Its value`, { when: answered('success'), hint: 'true' }),
  choice('repeat', $localize`A request that comes again is known by`, REPEAT_WORDS, { when: written }),
  text('repeatHeader', $localize`Header with the key`, {
    when: { entry: 'repeat', is: ['key'] },
    hint: 'Idempotency-Key',
  }),
  text('repeatPath', $localize`Looked up at`, {
    when: { entry: 'repeat', is: ['look-up'] },
    wide: true,
    hint: $localize`such as /members/{external_no}`,
  }),
];
