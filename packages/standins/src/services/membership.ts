import { createHash } from 'node:crypto';
import { member, PLANS, type Member } from './people.ts';
import { json, Service, type Asked, type Reply } from './service.ts';

export const CLIENT = { id: 'versicle', secret: 'larkway-practice' };
const PAGE = 100;
const TOKEN_SECONDS = 120;

interface Refusal {
  readonly index: number;
  readonly field: string;
  readonly message: string;
}

/**
 * The Membership service: members and sign-ups, OAuth 2 (client credentials, or a code with PKCE), cursor pages of 100, and
 * batches that are taken in part.
 */
export class Membership {
  readonly service: Service;
  readonly members = new Map<string, Member>();
  private readonly tokens = new Map<string, number>();
  private readonly codes = new Map<string, string>();
  private readonly done = new Map<string, Reply>();
  private issued = 0;

  constructor(private readonly count = 14_000) {
    this.service = new Service('membership', (asked) => this.answer(asked));
    for (let n = 1; n <= count; n++) {
      const m = member(n);
      this.members.set(m.external_no, m);
    }
  }

  private answer(asked: Asked): Reply {
    const { method, path } = asked;
    if (path === '/health') return { status: 200, body: { ok: true } };
    if (path === '/openapi.json') return { status: 200, body: description(asked.origin) };
    if (path === '/oauth/authorize') return this.authorize(asked);
    if (path === '/oauth/token') return this.token(asked);
    if (!this.isKnown(asked.headers.authorization)) return problem(401, 'The token is missing, wrong or has ended.');
    if (method === 'GET' && path === '/v2/members') {
      const wanted = asked.query.get('external_no')?.split(',');
      const found = wanted?.flatMap((no) => this.members.get(no) ?? []) ?? [...this.members.values()];
      return this.page(asked, found, 'members');
    }
    if (method === 'GET' && path === '/v2/sign-ups') return this.page(asked, signUps(this.count), 'sign_ups');
    if (method === 'GET' && path === '/v2/plans')
      return { status: 200, body: PLANS.map((code, i) => ({ code, price_cents: [1290, 9900, 250, 890][i] })) };
    if (method === 'POST' && path === '/v2/members/batch') return this.once(asked, () => this.batch(asked));
    const one = /^\/v2\/members\/([^/]+)$/.exec(path)?.[1];
    if (method === 'PUT' && one) return this.once(asked, () => this.put(decodeURIComponent(one), json(asked.body)));
    return problem(404, `There is nothing at ${method} ${path}.`);
  }

  private authorize({ query }: Asked): Reply {
    const target = query.get('redirect_uri');
    const challenge = query.get('code_challenge');
    if (!target || !challenge || query.get('client_id') !== CLIENT.id || query.get('code_challenge_method') !== 'S256')
      return { status: 400, body: 'The request to agree is not complete.' };
    const code = `code-${++this.issued}`;
    this.codes.set(code, challenge);
    const url = new URL(target);
    url.searchParams.set('code', code);
    url.searchParams.set('state', query.get('state') ?? '');
    return { status: 302, headers: { Location: url.href }, body: '' };
  }
  private token({ headers, body }: Asked): Reply {
    const form = new URLSearchParams(body);
    const [id, secret] = Buffer.from((headers.authorization ?? '').replace(/^Basic /, ''), 'base64')
      .toString()
      .split(':')
      .map(decodeURIComponent);
    if (id !== CLIENT.id || secret !== CLIENT.secret)
      return { status: 401, body: { error: 'invalid_client', error_description: 'client id or secret is wrong' } };
    const grant = form.get('grant_type');
    if (grant === 'authorization_code') {
      const challenge = this.codes.get(form.get('code') ?? '');
      this.codes.delete(form.get('code') ?? '');
      const hash = createHash('sha256')
        .update(form.get('code_verifier') ?? '')
        .digest('base64url');
      if (!challenge || hash !== challenge)
        return {
          status: 400,
          body: { error: 'invalid_grant', error_description: 'the code or its verifier is wrong' },
        };
    } else if (grant === 'refresh_token') {
      if (!form.get('refresh_token')?.startsWith('refresh-'))
        return { status: 400, body: { error: 'invalid_grant', error_description: 'the refresh token is unknown' } };
    } else if (grant !== 'client_credentials') return { status: 400, body: { error: 'unsupported_grant_type' } };
    const token = `token-${++this.issued}`;
    this.tokens.set(token, Date.now() + TOKEN_SECONDS * 1000);
    return {
      status: 200,
      body: {
        access_token: token,
        token_type: 'Bearer',
        expires_in: TOKEN_SECONDS,
        ...(grant === 'client_credentials' ? {} : { refresh_token: `refresh-${this.issued}` }),
      },
    };
  }
  private isKnown(authorization: string | undefined): boolean {
    return (this.tokens.get((authorization ?? '').replace(/^Bearer /, '')) ?? 0) > Date.now();
  }
  /** All tokens end at once, as when the service is restarted. */
  endTokens(): void {
    this.tokens.clear();
  }

  private page({ query }: Asked, all: readonly object[], name: string): Reply {
    const from = Number(Buffer.from(query.get('cursor') ?? '', 'base64url').toString() || 0);
    const end = from + PAGE;
    const next = end < all.length ? Buffer.from(String(end)).toString('base64url') : null;
    return { status: 200, body: { [name]: all.slice(from, end), paging: { next, total: all.length } } };
  }

  /** A request with a key that was answered before gets that answer again. */
  private once({ headers }: Asked, make: () => Reply): Reply {
    const key = headers['idempotency-key'];
    if (typeof key !== 'string') return make();
    const before = this.done.get(key);
    if (before) return before;
    const reply = make();
    this.done.set(key, reply);
    return reply;
  }
  private batch({ body }: Asked): Reply {
    const list = (json(body) as { members?: unknown[] } | null)?.members;
    if (!Array.isArray(list) || list.length > PAGE)
      return problem(400, `Send an object with “members”, at most ${PAGE} of them.`);
    const errors: Refusal[] = [];
    const accepted: { index: number; id: string }[] = [];
    for (const [index, item] of list.entries()) {
      const refusals = refusalsOf(item as Record<string, unknown>).map((r) => ({ index, ...r }));
      errors.push(...refusals);
      if (refusals.length === 0) accepted.push({ index, id: this.keep(item as Record<string, unknown>) });
    }
    return { status: errors.length === 0 ? 200 : 207, body: { accepted, errors } };
  }
  private put(externalNo: string, body: unknown): Reply {
    if (body === null || typeof body !== 'object') return problem(400, 'Send a member.');
    const record = { ...(body as Record<string, unknown>), external_no: externalNo };
    const refusals = refusalsOf(record);
    if (refusals.length > 0) return { status: 422, body: { title: 'Not valid', errors: refusals } };
    return { status: 200, body: { id: this.keep(record) } };
  }
  private keep(record: Record<string, unknown>): string {
    const no = String(record['external_no']);
    const before = this.members.get(no);
    const id = before?.id ?? `m-${String(this.members.size + 1).padStart(6, '0')}`;
    this.members.set(no, { ...(before ?? member(1)), ...record, id } as Member);
    return id;
  }
}

function refusalsOf(record: Record<string, unknown>): Omit<Refusal, 'index'>[] {
  const found: Omit<Refusal, 'index'>[] = [];
  const say = (field: string, message: string): void => void found.push({ field, message });
  const text = (field: string, longest: number): string => {
    const value = record[field];
    if (typeof value !== 'string' || value === '') say(field, `${field} is missing`);
    else if (value.length > longest) say(field, `${field} is longer than ${longest} characters`);
    else return value;
    return '';
  };
  text('external_no', 12);
  text('last_name', 40);
  const email = record['email'];
  if (email !== undefined && email !== null && (typeof email !== 'string' || !/^[^@\s]+@[^@\s]+\.[a-z]+$/.test(email)))
    say('email', 'email is not an address');
  if (!PLANS.includes(record['plan'] as never)) say('plan', `plan must be one of ${PLANS.join(', ')}`);
  const joined = record['joined_on'];
  if (typeof joined !== 'string' || Number.isNaN(Date.parse(joined))) say('joined_on', 'joined_on is not a date');
  else if (Date.parse(joined) > Date.UTC(2026, 11, 31)) say('joined_on', 'joined_on is in the future');
  return found;
}
function signUps(count: number): object[] {
  return Array.from({ length: Math.min(400, count) }, (_, i) => ({
    id: `s-${String(i + 1).padStart(5, '0')}`,
    member: `L${String(count - i).padStart(7, '0')}`,
    at: new Date(Date.UTC(2026, 7, 1) + i * 4_000_000).toISOString(),
    amount_cents: [1290, 9900, 250, 890][i % 4]! * (i % 53 === 7 ? -1 : 1),
  }));
}
const problem = (status: number, detail: string): Reply => ({
  status,
  headers: { 'Content-Type': 'application/problem+json' },
  body: { title: 'Refused', status, detail },
});

/** What the service says of itself (OpenAPI 3.1). */
function description(origin: string): object {
  const text = { type: 'string' };
  const paged = (name: string, schema: string): object => ({
    parameters: [{ name: 'cursor', in: 'query', schema: text }],
    responses: {
      200: {
        description: 'A page',
        content: {
          'application/json': {
            schema: {
              type: 'object',
              properties: {
                [name]: { type: 'array', items: { $ref: `#/components/schemas/${schema}` } },
                paging: {
                  type: 'object',
                  properties: { next: { type: ['string', 'null'] }, total: { type: 'integer' } },
                },
              },
            },
          },
        },
      },
    },
  });
  return {
    openapi: '3.1.0',
    info: { title: 'Membership service', version: '2' },
    servers: [{ url: `${origin}/v2` }],
    paths: {
      '/members': { get: { summary: 'All members', ...paged('members', 'Member') } },
      '/sign-ups': { get: { summary: 'Sign-ups, newest last', ...paged('sign_ups', 'SignUp') } },
      '/plans': {
        get: {
          summary: 'Plans that can be booked',
          responses: {
            200: {
              description: 'All',
              content: {
                'application/json': { schema: { type: 'array', items: { $ref: '#/components/schemas/Plan' } } },
              },
            },
          },
        },
      },
      '/members/batch': {
        post: {
          summary: 'Members, many at once',
          requestBody: {
            content: {
              'application/json': {
                schema: {
                  type: 'object',
                  properties: { members: { type: 'array', items: { $ref: '#/components/schemas/Member' } } },
                },
              },
            },
          },
          responses: { 200: { description: 'Taken' }, 207: { description: 'Taken in part' } },
        },
      },
    },
    components: {
      schemas: {
        Member: {
          type: 'object',
          required: ['external_no', 'last_name', 'plan', 'joined_on'],
          properties: {
            external_no: { type: 'string', maxLength: 12, description: 'The number that the member knows' },
            first_name: { type: 'string', maxLength: 40 },
            last_name: { type: 'string', maxLength: 40 },
            email: { type: ['string', 'null'], format: 'email' },
            plan: { type: 'string', enum: [...PLANS], description: 'What the member pays for' },
            country: { type: 'string', maxLength: 2 },
            joined_on: { type: 'string', format: 'date' },
            active: { type: 'boolean' },
          },
        },
        SignUp: {
          type: 'object',
          required: ['id', 'member'],
          properties: {
            id: text,
            member: text,
            at: { type: 'string', format: 'date-time' },
            amount_cents: { type: 'integer' },
          },
        },
        Plan: { type: 'object', properties: { code: text, price_cents: { type: 'integer' } } },
      },
    },
  };
}
