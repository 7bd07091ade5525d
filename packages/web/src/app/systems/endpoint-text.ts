import { endpoint, type DatasetSetting, type Endpoint } from '@versicle/contract';

/** An endpoint as the form has it: all entries as texts. */
export type EndpointText = {
  path: string;
  records: string;
  body: Endpoint['body'];
  paging: Endpoint['paging']['kind'];
  parameter: string;
  next: string;
  sizeParameter: string;
  size: string;
  query: string;
  parent: string;
  findField: string;
  findPath: string;
  atOnce: string;
  findRecords: string;
  writePath: string;
  batch: string;
  member: string;
  answer: Answered;
  errors: string;
  errorIndex: string;
  place: Write['place'];
  idField: string;
  results: string;
  resultStatus: string;
  taken: string;
  success: string;
  successValue: string;
  repeat: Write['repeat']['by'];
  repeatHeader: string;
  repeatPath: string;
};
type Write = NonNullable<Endpoint['write']>;
type Answered = NonNullable<Write['answer']> | 'open';
export const ANSWER_WORDS: Readonly<Record<Answered, string>> = {
  open: $localize`not settled yet`,
  status: $localize`its status alone`,
  errors: $localize`a list of refusals`,
  results: $localize`a result for each record`,
  success: $localize`a member that means success`,
};
export const PLACE_WORDS: Readonly<Record<Write['place'], string>> = {
  'from 0': $localize`its place, from 0`,
  'from 1': $localize`its place, from 1`,
  id: 'an id',
  pointer: $localize`a pointer such as /items/3/name`,
};
export const REPEAT_WORDS: Readonly<Record<Write['repeat']['by'], string>> = {
  nothing: $localize`nothing: it is never sent twice`,
  key: 'a key in a header',
  'look-up': $localize`looking the record up first`,
};
export const PAGING_WORDS: Readonly<Record<Endpoint['paging']['kind'], string>> = {
  none: $localize`all in one answer`,
  page: $localize`by number`,
  offset: $localize`by records before`,
  cursor: $localize`by a cursor`,
  link: $localize`by the next address`,
};
export function freshEndpoint(): EndpointText {
  return {
    path: '',
    records: '',
    body: 'json',
    paging: 'none',
    parameter: '',
    next: '',
    sizeParameter: '',
    size: '100',
    query: '',
    parent: '',
    findField: '',
    findPath: '',
    atOnce: '50',
    findRecords: '',
    writePath: '',
    batch: '1',
    member: '',
    ...answerText(null),
  };
}

type AnswerText = Pick<
  EndpointText,
  | 'answer'
  | 'errors'
  | 'errorIndex'
  | 'place'
  | 'idField'
  | 'results'
  | 'resultStatus'
  | 'taken'
  | 'success'
  | 'successValue'
  | 'repeat'
  | 'repeatHeader'
  | 'repeatPath'
>;
function answerText(write: Endpoint['write']): AnswerText {
  return {
    answer: write?.answer ?? 'open',
    errors: write?.errors ?? 'errors',
    errorIndex: write?.errorIndex ?? 'index',
    place: write?.place ?? 'from 0',
    idField: write?.idField ?? '',
    results: write?.results ?? 'results',
    resultStatus: write?.resultStatus ?? 'status',
    taken: (write?.taken ?? ['200', '201', '204', 'ok', 'created']).join(', '),
    success: write?.success ?? 'success',
    successValue: write?.successValue ?? 'true',
    repeat: write?.repeat.by ?? 'nothing',
    repeatHeader: write?.repeat.by === 'key' ? write.repeat.header : 'Idempotency-Key',
    repeatPath: write?.repeat.by === 'look-up' ? write.repeat.path : '',
  };
}
function answerOf(text: EndpointText, before: Endpoint['write']): Record<string, unknown> {
  const repeat = {
    nothing: { by: 'nothing' },
    key: { by: 'key', header: text.repeatHeader.trim() },
    'look-up': {
      by: 'look-up',
      path: text.repeatPath.trim(),
      member: before?.repeat.by === 'look-up' ? before.repeat.member : null,
    },
  }[text.repeat];
  return {
    answer: text.answer === 'open' ? null : text.answer,
    errors: text.errors.trim(),
    errorIndex: text.errorIndex.trim(),
    place: text.place,
    idField: text.idField.trim() || null,
    results: text.results.trim(),
    resultStatus: text.resultStatus.trim(),
    taken: text.taken
      .split(',')
      .map((t) => t.trim())
      .filter(Boolean),
    success: text.success.trim(),
    successValue: text.successValue.trim(),
    repeat,
  };
}

/** The form's texts of an endpoint that is there. */
export function textOf(e: Endpoint): EndpointText {
  const { paging } = e;
  return {
    path: e.path,
    records: e.records ?? '',
    body: e.body,
    paging: paging.kind,
    parameter: 'parameter' in paging ? paging.parameter : '',
    next: 'next' in paging ? (paging.next ?? '') : '',
    sizeParameter: 'sizeParameter' in paging ? (paging.sizeParameter ?? '') : '',
    size: String('size' in paging ? paging.size : 100),
    query: e.query.map(({ name, value }) => `${name}=${value}`).join('&'),
    parent: e.parent?.dataset ?? '',
    findField: e.find?.field ?? '',
    findPath: e.find?.path ?? '',
    atOnce: String(e.find?.atOnce ?? 50),
    findRecords: e.find?.records ?? '',
    writePath: e.write ? `${e.write.method} ${e.write.path}` : '',
    batch: String(e.write?.batch ?? 1),
    member: e.write?.member ?? '',
    ...answerText(e.write),
  };
}

/**
 * The setting that a form stands for, or a sentence that says which entry is wrong. What the form has no entry for stays as
 * it was `before`.
 */
export function endpointOf(text: EndpointText, before: Endpoint | null = null): DatasetSetting | string {
  const written = /^\s*(?:(POST|PUT|PATCH)\s+)?(\S+)\s*$/i.exec(text.writePath);
  if (text.path.trim() === '') return $localize`Path: something must stand here.`;
  if (text.writePath.trim() !== '' && !written)
    return $localize`Written to: a path, with POST, PUT or PATCH before it.`;
  if ((text.findField.trim() === '') !== (text.findPath.trim() === ''))
    return $localize`Found by: a field, and the path that finds records by it, or neither.`;
  const size = Number(text.size);
  const kept = before?.paging.kind === 'page' ? { first: before.paging.first } : {};
  const paging = {
    none: { kind: 'none' },
    page: {
      ...kept,
      kind: 'page',
      parameter: text.parameter.trim(),
      sizeParameter: text.sizeParameter.trim() || null,
      size,
    },
    offset: { kind: 'offset', parameter: text.parameter.trim(), sizeParameter: text.sizeParameter.trim(), size },
    cursor: { kind: 'cursor', parameter: text.parameter.trim(), next: text.next.trim() },
    link: { kind: 'link', next: text.next.trim() || null },
  }[text.paging];
  const query = text.query
    .replace(/^\?/, '')
    .split('&')
    .filter((part) => part.trim() !== '')
    .map((part) => {
      const at = part.indexOf('=');
      return { name: (at < 0 ? part : part.slice(0, at)).trim(), value: at < 0 ? '' : part.slice(at + 1) };
    });
  const made = endpoint.safeParse({
    ...before,
    path: text.path.trim(),
    query,
    body: text.body,
    records: text.records.trim() === '' ? null : text.records.trim(),
    paging,
    parent: text.parent.trim() === '' ? null : { ...before?.parent, dataset: text.parent.trim() },
    find:
      text.findField.trim() === ''
        ? null
        : {
            field: text.findField.trim(),
            path: text.findPath.trim(),
            atOnce: Number(text.atOnce),
            records: text.findRecords.trim() || null,
          },
    write: written
      ? {
          ...before?.write,
          method: written[1]?.toUpperCase() ?? 'POST',
          path: written[2],
          batch: Number(text.batch),
          member: text.member.trim() || null,
          ...answerOf(text, before?.write ?? null),
        }
      : null,
  });
  if (made.success) return { kind: 'endpoint', endpoint: made.data };
  const [issue] = made.error.issues;
  const place = issue!.path.join('.');
  const words: Record<string, string> = {
    'paging.parameter': $localize`Parameter of the page`,
    'paging.next': $localize`Where the next one is named`,
    'paging.sizeParameter': $localize`Parameter of the size`,
    'paging.size': $localize`Records in a page`,
    find: $localize`Found by the field`,
    'find.path': $localize`Asked for at`,
    'find.atOnce': $localize`Keys in a request`,
    'write.batch': $localize`Records in a request`,
    'write.repeat.path': $localize`Looked up at`,
    'write.repeat.header': $localize`Header with the key`,
  };
  return `${words[place] ?? place}: ${issue!.message}.`;
}
