import type { Dataset, DatasetField, Endpoint, TriedWrite } from '@versicle/contract';
import { createHash } from 'node:crypto';
import {
  Aborted,
  fillPlaces,
  Flattener,
  learnStructures,
  nearest,
  type NestedStructure,
  notFound,
  quoted,
  type RawRow,
  readPace,
  readWindows,
  refused,
  treeJson,
  StructureLearner,
  treeText,
  Unreadable,
} from '@versicle/core';
import type {
  AnsweredRequest,
  AskedRequest,
  Described,
  Finder,
  Found,
  Kind,
  KindContext,
  OpenSystem,
  ReadOptions,
  SourceBatch,
} from '../kind.ts';
import { diagnoseNetwork, failed } from '../network/diagnose.ts';
import { requireAllowedHost } from '../network/guard.ts';
import { faultOf, pageOf, UnexpectedAnswer, type Page } from './answers.ts';
import { NotAuthorised } from './authenticate.ts';
import { fillPath, leadsElsewhere } from './body.ts';
import { withVariables } from './plan-variables.ts';
import type { HttpAnswer } from './answers.ts';
import { sendAsIs } from './as-is.ts';
import { HttpClient } from './client.ts';
import { readVariables } from './places.ts';
import { patienceOf, requireHeaders, settings, type HttpConnection } from './settings.ts';
import { HttpTarget, type SettledEndpoint } from './target.ts';
import { tryWrite } from './try-write.ts';

/** An API over HTTP that answers with JSON or XML; its datasets are the endpoints that people set down or import. */
export const http: Kind<HttpConnection> = {
  facts: {
    kind: 'http',
    words: 'HTTP API',
    holds: true,
    empty: 'Say how its records are asked for, or read the API’s own description (OpenAPI).',
    settledBy: 'endpoint',
    asks: true,
    byRequest: true,
    arrives: null,
    target: {
      title: 'Dataset',
      there: 'its fields are taken over',
      fresh: 'a dataset of the API that can be written',
      unnamed: 'a dataset of the API that can be written',
      names: null,
      makesTables: false,
      isOurs: false,
    },
  },
  settings,
  where: ({ base }) => base,
  place: ['base', 'tokenUrl', 'authorizeUrl'],
  signsIn: ({ auth }) => auth === 'code',
  open: (connection, context) => new HttpSystem(connection, context),
  check: (connection) => {
    requireAllowedHost(new URL(connection.base).hostname);
    variablesOf(connection);
    readVariables(connection.secretQuery ?? '');
    requireHeaders(connection);
  },
};

/** Requests by key; with more, all records are read. */
const MOST_FINDS = 100;
/** A page of an endpoint that is asked for by parents; `unreadable`: its parent gives no address. */
interface ParentPage extends Page {
  readonly parent?: string;
  readonly unreadable?: Unreadable;
}
const NO_PAGE: Page = { records: [], next: null, more: null, total: null };
/** Pages at the most, against an API whose next page is the same for ever. */
const MAX_PAGES = 1_000_000;

/** Who waits for pages, and counts what was asked. */
type Waits = Pick<ReadOptions, 'signal' | 'heard'>;

class HttpSystem implements OpenSystem {
  readonly client: HttpClient;
  readonly target: HttpTarget;
  private readonly variables: ReadonlyMap<string, string>;

  constructor(
    private readonly connection: HttpConnection,
    private readonly context: KindContext,
  ) {
    this.client = new HttpClient(connection, context, patienceOf(connection));
    this.variables = variablesOf(connection);
    const settled = async (dataset: string): Promise<SettledEndpoint> => {
      const endpoint = await this.endpoint(dataset);
      const { write } = endpoint;
      if (!write) return { ...endpoint, shownPath: '' };
      return { ...endpoint, write: { ...write, path: this.filled(write.path) }, shownPath: write.path };
    };
    const { parallel, windows = '', pace } = connection;
    this.target = new HttpTarget(
      this.client,
      { parallel, most: pace === undefined ? null : readPace(pace), windows: readWindows(windows) },
      patienceOf(connection),
      settled,
      async () => (await this.test()).ok,
    );
  }
  private filled(text: string): string {
    return fillPlaces(text, new Date(), this.variables);
  }

  async test(): Promise<Found> {
    const url = this.client.address(this.connection.testPath || '');
    const where = new URL(url).host;
    try {
      const answer = await this.client.send({ method: 'GET', url, repeatable: true, tries: 1 });
      return this.diagnoseAnswer(answer, where);
    } catch (error) {
      if (error instanceof NotAuthorised) return failed('not_authorised', error.message);
      const found = diagnoseNetwork(error, where);
      if (found) return found;
      if ((error as Error).name === 'TimeoutError') return diagnoseNetwork({ code: 'TIMEOUT' }, where)!;
      return failed(
        'unexpected_answer',
        `${where} answered, but not as an HTTP server does: ${(error as Error).message}`,
      );
    }
  }
  private async diagnoseAnswer(answer: HttpAnswer, where: string): Promise<Found> {
    const { status } = answer;
    const said = status >= 400 ? faultOf(answer).message : '';
    if (status === 401) return failed('not_authorised', `${where} does not know us: ${said}. Check how we sign in.`);
    if (status === 403)
      return failed(
        'not_permitted',
        `${where} knows us, but does not let us in here: ${said}. Ask for the right, or for another scope.`,
      );
    if (status === 404)
      return failed(
        'no_such_path',
        `${where} answers, but has nothing at ${new URL(answer.url).pathname}. Check the base address and the path to test with.`,
      );
    if (status === 429) return failed('too_fast', `${where} asks us to slow down: ${said}.`);
    if (status >= 500) return failed('their_fault', `${where} answers with its own fault (status ${status}): ${said}`);
    const type = String(answer.headers['content-type'] ?? '');
    if (/html/i.test(type))
      return failed(
        'unexpected_answer',
        `${where} answers with a web page, not with data. The base address may be that of its pages.`,
      );
    const endpoints = await this.endpoints();
    return {
      ok: true,
      code: 'ok',
      message: `${where} answers with status ${status}; ${endpoints.size === 0 ? 'no datasets are set down yet' : `${endpoints.size} of its datasets are set down`}.`,
      sees: [...endpoints.keys()].slice(0, 8),
    };
  }

  async ask(path: string): Promise<unknown> {
    const answer = await this.client.send({
      method: 'GET',
      url: this.client.address(path),
      repeatable: true,
      tries: 3,
    });
    if (answer.status >= 400) throw refused(`It answers with status ${answer.status}: ${faultOf(answer).message}.`);
    try {
      return JSON.parse(answer.text) as unknown;
    } catch {
      throw refused('Its answer is not JSON.');
    }
  }

  request(asked: AskedRequest, signal: AbortSignal): Promise<AnsweredRequest> {
    return sendAsIs(this.client, { ...asked, path: this.filled(asked.path) }, signal);
  }

  async tryWrite(dataset: string, records: string, bad: number): Promise<TriedWrite> {
    const { write, body } = await this.endpoint(dataset);
    if (!write || body === 'xml') throw refused(`${dataset} takes no JSON that could be tried.`);
    return tryWrite(this.client, { ...write, path: this.filled(write.path) }, records, bad);
  }

  private async endpoints(): Promise<Map<string, Endpoint>> {
    const found = new Map<string, Endpoint>();
    for (const [name, setting] of await this.context.settings())
      if (setting.kind === 'endpoint') found.set(name, setting.endpoint);
    return found;
  }
  private async endpoint(dataset: string): Promise<Endpoint> {
    const endpoints = await this.endpoints();
    const found = endpoints.get(dataset);
    if (found) return found;
    const near = nearest(dataset, endpoints.keys());
    throw notFound(
      `There is no dataset ${quoted(dataset)} in this system.${near ? ` Did you mean ${near}?` : endpoints.size > 0 ? ` It has ${[...endpoints.keys()].join(', ')}.` : ' None is set down yet: describe one, or import the API’s description.'}`,
    );
  }
  async datasets(): Promise<Dataset[]> {
    return [...(await this.endpoints())].map(([name, e]) => ({
      name,
      description: [
        e.description || `${e.body === 'xml' ? 'XML' : 'JSON'} at ${e.path}`,
        e.write ? 'can be written' : '',
      ]
        .filter(Boolean)
        .join('; '),
      records: null,
      bytes: null,
      changedAt: null,
      problem: null,
    }));
  }

  async describe(name: string): Promise<Described> {
    const [dataset, part] = splitPart(name);
    const endpoint = await this.endpoint(dataset);
    const declared = part === '' ? endpoint.fields : [];
    let structures: readonly NestedStructure[] = [];
    let example: RawRow | undefined;
    let names: readonly string[] = [];
    let problem: string | null = null;
    try {
      for await (const page of this.pages(endpoint, {})) {
        structures = learnStructures(page.records);
        if (structures.some((s) => s.path === part)) {
          const flattener = new Flattener(structures, part, false, 'told', endpoint.body === 'xml');
          names = flattener.names;
          example = page.records.length === 0 ? undefined : flattener.rows(page.records[0]!, 1, () => '')[0];
        }
        break;
      }
    } catch (error) {
      // What was declared stays known while the system does not answer.
      if (declared.length === 0) throw this.sentence(error);
      problem = this.sentence(error).message;
    }
    const cells = Array.isArray(example) ? (example as (string | null)[]) : [];
    const learned = names
      .filter((n) => !declared.some((f) => f.name === n))
      .map((n): DatasetField => ({ name: n, type: 'text', nullable: true, key: false, example: null }));
    const fields: DatasetField[] = [...declared.map((f) => ({ ...f, example: null })), ...learned].map((f) => ({
      ...f,
      example: cells[names.indexOf(f.name)] ?? null,
    }));
    return {
      name,
      fields,
      format: [
        { label: 'Address', value: `${endpoint.path}` },
        { label: 'Form', value: endpoint.body === 'xml' ? 'XML' : 'JSON' },
        { label: 'Pages', value: PAGING[endpoint.paging.kind] },
        ...(endpoint.find ? [{ label: 'Found by', value: foundBy(endpoint.find) }] : []),
        { label: 'Written', value: endpoint.write ? `${endpoint.write.method} ${endpoint.write.path}` : 'not at all' },
      ],
      guessedFrom: problem === null ? [] : [problem],
      files: [],
      lines: [],
      parts: structures
        .filter((s) => s.path !== '')
        .map((s) => ({ name: `${dataset}/${s.path}`, description: 'repeats inside the records' })),
      setting: { kind: 'endpoint', endpoint },
      settled: true,
      bytes: null,
      changedAt: null,
    };
  }

  async finds(name: string): Promise<Finder | null> {
    const [dataset, part] = splitPart(name);
    const { find, parent } = await this.endpoint(dataset);
    if (part !== '' || parent !== null || find === null) return null;
    return {
      field: find.field,
      takes: (keys) =>
        keys.length <= keysAtOnce(find) * MOST_FINDS &&
        (ONE_KEY.test(find.path) || keys.every((k) => !k.includes(','))) &&
        !keys.some(leadsElsewhere),
    };
  }

  async *read(name: string, options: ReadOptions): AsyncGenerator<SourceBatch> {
    const { withDoc = false, keys, signal, variables } = options;
    const [dataset, part] = splitPart(name);
    const endpoint = withVariables(await this.endpoint(dataset), variables);
    const learner = new StructureLearner(part);
    let structures: readonly NestedStructure[] = [];
    let number = 0;
    try {
      for await (const page of keys ? this.found(endpoint, keys, options) : this.pages(endpoint, options)) {
        if (page.unreadable) {
          yield { fields: ['_parent_key'], rows: [page.unreadable], file: null };
          continue;
        }
        structures = learner.add(page.records).structures;
        if (!structures.some((s) => s.path === part)) {
          number += page.records.length;
          continue;
        }
        const flattener = new Flattener(structures, part, withDoc, 'told', endpoint.body === 'xml');
        const rows: RawRow[] = [];
        for (const record of page.records)
          for (const row of flattener.rows(record, ++number, () => treeText(record)))
            rows.push(
              page.parent !== undefined && Array.isArray(row) ? [page.parent, ...(row as (string | null)[])] : row,
            );
        const fields = page.parent === undefined ? flattener.names : ['_parent_key', ...flattener.names];
        if (rows.length > 0) yield { fields, rows, file: null };
      }
    } catch (error) {
      throw signal?.aborted ? new Aborted() : this.sentence(error);
    }
    if (part !== '' && number > 0 && !structures.some((s) => s.path === part))
      throw notFound(`Nothing called ${quoted(part)} repeats inside the records of ${dataset}.`);
  }

  /** Errors of the way, in words. */
  private sentence(error: unknown): Error {
    const where = new URL(this.connection.base).host;
    const found = diagnoseNetwork(error, where);
    if (found) return refused(found.message);
    if (error instanceof NotAuthorised || error instanceof UnexpectedAnswer) return refused(error.message);
    return error as Error;
  }

  private async *pages(endpoint: Endpoint, { signal, heard }: Waits): AsyncGenerator<ParentPage> {
    if (endpoint.parent === null) return yield* this.pagesOf(endpoint, endpoint.path, { signal, heard });
    const { dataset, parallel } = endpoint.parent;
    for await (const batch of this.read(dataset, { signal, heard })) {
      const key = batch.fields.indexOf('_key');
      const parents = batch.rows.filter((r): r is readonly (string | null)[] => Array.isArray(r));
      for (let at = 0; at < parents.length; at += parallel) {
        const found = await Promise.all(
          parents.slice(at, at + parallel).map(async (row) => {
            const parent = row[key] ?? '';
            const path = fillFields(endpoint.path, batch.fields, row);
            const pages: ParentPage[] = [];
            if ('missing' in path) {
              const unreadable = new Unreadable(
                `Its parent has no value in ${path.missing} that can stand in an address, so it can’t be asked for.`,
                row
                  .filter((c) => c !== null)
                  .join(', ')
                  .slice(0, 200),
              );
              return [{ ...NO_PAGE, parent, unreadable }];
            }
            for await (const page of this.pagesOf(endpoint, path.path, { signal, heard }))
              pages.push({ ...page, parent });
            return pages;
          }),
        );
        yield* found.flat();
      }
    }
  }

  private async *found(
    endpoint: Endpoint,
    keys: readonly string[],
    { signal, heard }: Waits,
  ): AsyncGenerator<ParentPage> {
    const { find } = endpoint;
    if (find === null) throw new Error('An endpoint that finds nothing by key was asked for keys.');
    const atOnce = keysAtOnce(find);
    const single = ONE_KEY.test(find.path);
    const asked: Endpoint = {
      ...endpoint,
      records: find.records ?? endpoint.records,
      ...(single ? { paging: { kind: 'none' as const } } : {}),
    };
    for (let at = 0; at < keys.length; at += atOnce) {
      const values = keys
        .slice(at, at + atOnce)
        .map(encodeURIComponent)
        .join(',');
      const path = find.path.replace(single ? ONE_KEY : SEVERAL_KEYS, () => values);
      yield* this.pagesOf(asked, path, { perhaps: single, signal, heard });
    }
  }

  /**
   * Page after page, until the answers say that there are no more: by an empty page, a member, a total or a cursor. A page
   * with fewer records than were asked for is no end: servers have limits of their own. `perhaps`: that there is nothing there
   * is an answer, too.
   */
  private async *pagesOf(
    endpoint: Endpoint,
    path: string,
    { perhaps = false, signal, heard }: { perhaps?: boolean } & Waits,
  ): AsyncGenerator<Page> {
    const { paging } = endpoint;
    const query = endpoint.query.map(({ name, value }) => ({ name, value: this.filled(value) }));
    let position = paging.kind === 'page' ? paging.first : 0;
    let cursor: string | null = null;
    let read = 0;
    const seen = new Set<string>();
    const pages = new Set<string>();
    for (let n = 0; n < MAX_PAGES; n++) {
      const parameters = [...query];
      if (paging.kind === 'page') {
        parameters.push({ name: paging.parameter, value: String(position) });
        if (paging.sizeParameter) parameters.push({ name: paging.sizeParameter, value: String(paging.size) });
      } else if (paging.kind === 'offset') {
        parameters.push({ name: paging.parameter, value: String(position) });
        parameters.push({ name: paging.sizeParameter, value: String(paging.size) });
      } else if (paging.kind === 'cursor' && cursor !== null)
        parameters.push({ name: paging.parameter, value: cursor });
      const url: string =
        paging.kind === 'link' && cursor !== null ? cursor : this.client.address(this.filled(path), parameters);
      const answer = await this.client.send({
        method: 'GET',
        url,
        repeatable: true,
        signal,
        ...(heard ? { heard } : {}),
      });
      if (perhaps && (answer.status === 404 || answer.status === 410)) return;
      if (answer.status >= 400) throw refusal(answer);
      if (answer.status >= 300)
        throw new UnexpectedAnswer(`${answer.url} answered with status ${answer.status}, which holds no records.`);
      const page = pageOf(answer, endpoint);
      read += page.records.length;
      yield page;
      if (paging.kind === 'none') return;
      // An empty page with a way on is not the last one.
      if (page.more === false || (page.records.length === 0 && page.next === null && page.more !== true)) {
        if (page.total !== null && page.total > read && page.more !== false)
          throw new UnexpectedAnswer(
            `${answer.url} has no more records, but says that there are ${page.total.toLocaleString('en-GB')}; ${read.toLocaleString('en-GB')} came.`,
          );
        return;
      }
      if ((paging.kind === 'cursor' || paging.kind === 'link') && page.next !== null && seen.has(page.next))
        throw new UnexpectedAnswer(
          `${answer.url} names a next page that was read already; the paging goes round in circles.`,
        );
      // Some answers differ in nothing but a time; the records tell.
      const content = createHash('sha256').update(page.records.map(treeJson).join('\n')).digest('base64');
      if (page.records.length > 0 && pages.has(content))
        throw new UnexpectedAnswer(
          `${answer.url} gives a page that was read already; the API seems not to know ${paging.kind === 'link' ? 'its own link' : `“${paging.parameter}”`}.`,
        );
      pages.add(content);
      if (paging.kind === 'page' || paging.kind === 'offset') {
        if (page.total !== null && read >= page.total && page.more !== true) return;
        position += paging.kind === 'page' ? 1 : page.records.length;
      } else {
        if (page.next === null) {
          if (page.more !== true) return;
          throw new UnexpectedAnswer(`${answer.url} says that there are more records, but not where.`);
        }
        seen.add(page.next);
        cursor = page.next;
      }
    }
    throw new UnexpectedAnswer(
      `${path} has more than ${MAX_PAGES.toLocaleString('en-GB')} pages; ask for larger ones.`,
    );
  }

  readonly goesOn = true;
  close(): Promise<void> {
    return this.client.close();
  }
}

const variablesOf = ({ variables = '', secretVariables = '' }: HttpConnection): Map<string, string> =>
  readVariables(`${variables}\n${secretVariables}`);

const ONE_KEY = /(?<!\{)\{key\}(?!\})/;
const SEVERAL_KEYS = /(?<!\{)\{keys\}(?!\})/;
const keysAtOnce = ({ path, atOnce }: NonNullable<Endpoint['find']>): number => (ONE_KEY.test(path) ? 1 : atOnce);
const foundBy = ({ field, path, atOnce }: NonNullable<Endpoint['find']>): string =>
  `${field}, ${ONE_KEY.test(path) ? 'one a request' : `up to ${atOnce} a request`}`;

const PAGING = {
  none: 'all in one answer',
  page: 'by the number of the page',
  offset: 'by the number of records before',
  cursor: 'by a cursor in the answer',
  link: 'by the address of the next page',
};
function refusal(answer: HttpAnswer): Error {
  const { message } = faultOf(answer);
  const path = new URL(answer.url).pathname;
  if (answer.status === 401) return new NotAuthorised(`${path} does not know us: ${message}`);
  return refused(`${path} answered with status ${answer.status}: ${message}`);
}

/** `members/addresses`: the part behind the slash is a structure that repeats inside the records. */
function splitPart(name: string): [dataset: string, part: string] {
  const slash = name.indexOf('/');
  return slash < 0 ? [name, ''] : [name.slice(0, slash), name.slice(slash + 1)];
}
/** `{station}` becomes the parent's value, safely within its part of the path. */
export function fillFields(
  path: string,
  fields: readonly string[],
  row: readonly (string | null)[],
): ReturnType<typeof fillPath> {
  return fillPath(path, (name) => {
    const at = fields.indexOf(name);
    if (at < 0)
      throw refused(
        `The path names {${name}}, but the parent has no such field; it has ${fields.slice(0, 12).join(', ')}.`,
      );
    return row[at];
  });
}
