import { Fault, listed } from '@versicle/core';

/** Where a server is asked, and by which key; options before the environment. */
export interface Remote {
  readonly server: string;
  readonly key: string | undefined;
}
/** Options of every command that asks a server. */
export const REMOTE_OPTIONS = {
  server: { type: 'string' },
  key: { type: 'string' },
  json: { type: 'boolean' },
} as const;

export function remoteOf(values: { readonly server?: string | undefined; readonly key?: string | undefined }): Remote {
  const server = values.server ?? process.env['VERSICLE_URL'] ?? 'http://127.0.0.1:4170';
  if (!URL.canParse(server) || !/^https?:$/.test(new URL(server).protocol))
    throw new Fault(
      'input',
      `“${server}” is no address of a server; write --server http://127.0.0.1:4170, or set VERSICLE_URL.`,
    );
  const { protocol, hostname } = new URL(server);
  const key = values.key ?? process.env['VERSICLE_API_KEY'];
  if (key !== undefined && protocol === 'http:' && !/^(localhost|127\.\d+\.\d+\.\d+|\[::1\])$/.test(hostname))
    throw new Fault('input', `The key is not sent to ${hostname} without TLS; use an address with https.`);
  return { server: server.replace(/\/+$/, ''), key };
}

/** A server's no: what it said, with its status. */
export class Refusal extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message);
  }
}
/** The server can't be reached: whether it is worth asking again. */
export class Unreached extends Error {}

/** Asks a server; the answer is what the contract says of the route. Throws Refusal, or Unreached. */
export async function ask<T>(remote: Remote, method: string, path: string, body?: unknown): Promise<T> {
  const response = await send(remote, method, path, AbortSignal.timeout(60_000), body);
  const answer = jsonOrNull(await textOf(remote, response));
  if (response.ok && answer !== null) return answer as T;
  throw refusalOf(remote, response, answer);
}
/** A file that a server gives, however long it takes. Throws Refusal, or Unreached. */
export async function fetchFile(remote: Remote, path: string): Promise<ReadableStream<Uint8Array>> {
  const response = await send(remote, 'GET', path, null);
  if (response.ok && response.body !== null) return response.body;
  throw refusalOf(remote, response, jsonOrNull(await textOf(remote, response)));
}

async function send(
  { server, key }: Remote,
  method: string,
  path: string,
  signal: AbortSignal | null,
  body?: unknown,
): Promise<Response> {
  try {
    return await fetch(`${server}/api${path}`, {
      method,
      headers: {
        ...(key === undefined ? {} : { authorization: `Bearer ${key}` }),
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
      },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      // A key goes to the address that it was given for, and to no other.
      redirect: 'error',
      signal,
    });
  } catch (error) {
    throw unreached(server, error);
  }
}
async function textOf({ server }: Remote, response: Response): Promise<string> {
  try {
    return await response.text();
  } catch (error) {
    throw unreached(server, error);
  }
}
function unreached(server: string, error: unknown): Unreached {
  const cause = (error as { cause?: { code?: string; message?: string } }).cause;
  return new Unreached(
    `${server} does not answer (${cause?.code ?? cause?.message ?? (error as Error).message}). Is Versicle running there? Another address is given by --server or VERSICLE_URL.`,
  );
}
function refusalOf({ server }: Remote, { status }: Response, answer: unknown): Refusal {
  const problem = answer as { detail?: unknown; faults?: { path: string; message: string }[] } | null;
  if (typeof problem?.detail !== 'string')
    return new Refusal(`${server} answered with status ${status}, but not as Versicle does.`, status);
  const faults = problem.faults ?? [];
  const more = faults.length > 0 ? `\n${faults.map((f) => `  ${f.path}: ${f.message}`).join('\n')}` : '';
  return new Refusal(`${problem.detail}${more}`, status);
}
function jsonOrNull(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}

/** The only argument after the words of a command. */
export function onlyOne(positionals: readonly string[], what: string): string {
  const [one, ...more] = positionals;
  if (one === undefined || more.length > 0) throw new Fault('input', `Name ${what}.`);
  return one;
}
/** Says which words a command takes. */
export function noSuch(command: string, what: string | undefined, words: readonly string[]): Fault {
  return new Fault(
    'input',
    `Say what is to be done: versicle ${command} ${listed(words, 'or')}${what === undefined ? '' : ` (not “${what}”)`}.`,
  );
}
