import { endpoint } from '@versicle/contract';
import { judge, type Judgement, type WriteSetting } from './judge.ts';

const setting = (patch: Record<string, unknown> = {}): WriteSetting =>
  endpoint.parse({ path: '/x', write: { path: '/x', batch: 5, ...patch } }).write!;
const IDS = ['a', 'b', 'c'];
const of = (status: number, body: unknown, patch: Record<string, unknown> = {}, count = 3): Judgement =>
  judge(
    { status, headers: {}, text: body === null ? '' : JSON.stringify(body), url: 'http://x/x' },
    setting(patch),
    count,
    (id) => (IDS.includes(id) ? IDS.indexOf(id) : null),
  );
const refused = (j: Judgement): number[] | string => (j.kind === 'judged' ? j.refused.map((r) => r.at) : j.kind);

describe('what an answer to records says of them', () => {
  it.each([
    ['nothing', 200, null, {}, []],
    ['what was made', 201, [{ id: 1 }, { id: 2 }, { id: 3 }], {}, []],
    ['a count of all', 200, { accepted: 3 }, {}, []],
    ['places from 0', 207, { errors: [{ index: 1, message: 'no' }] }, {}, [1]],
    ['places from 1', 207, { errors: [{ index: 1 }, { index: 3 }] }, { place: 'from 1' }, [0, 2]],
    ['ids', 200, { errors: [{ ref: 'c' }] }, { place: 'id', errorIndex: 'ref' }, [2]],
    ['pointers', 422, { errors: [{ pointer: '/items/2/mail' }] }, { place: 'pointer', errorIndex: 'pointer' }, [2]],
    ['an object by id', 200, { errors: { b: 'too long' } }, { place: 'id' }, [1]],
    ['an object by place', 200, { errors: { '0': { message: 'no' } } }, {}, [0]],
    ['results in order', 207, { results: [{ status: 201 }, { status: 409 }, { status: 201 }] }, {}, [1]],
    ['results with words', 200, { results: [{ status: 'ok' }, { status: 'error' }, { status: 'ok' }] }, {}, [1]],
    ['success', 200, { success: true }, { answer: 'success' }, []],
  ] as const)('%s', (_what, status, body, patch, wanted) => {
    expect(refused(of(status, body, patch))).toEqual(wanted);
  });
  it.each([
    ['fewer made than sent', 201, [{ id: 1 }, { id: 2 }], {}],
    ['a count of some', 200, { accepted: 2 }, {}],
    ['success false with 200', 200, { success: false }, {}],
    ['status error with 200', 200, { status: 'error', message: 'busy' }, {}],
    ['an error with 200', 200, { error: { message: 'busy' } }, {}],
    ['207 that names nobody', 207, { message: 'some failed' }, {}],
    ['places that were not sent', 207, { errors: [{ index: 3 }] }, {}],
    ['refusals without a place', 207, { errors: [{ message: 'no' }] }, {}],
    ['ids that were not sent', 200, { errors: [{ ref: 'z' }] }, { place: 'id', errorIndex: 'ref' }],
    ['fewer results than records', 207, { results: [{ status: 201 }] }, {}],
    ['results wanted and none there', 200, { done: true }, { answer: 'results' }],
    ['results that say no in words unknown', 200, [{ ok: true }, { ok: false }, { ok: true }], {}],
    ['no member that means success', 200, { done: true }, { answer: 'success' }],
    ['a redirect', 302, null, {}],
  ] as const)('is unclear: %s', (_what, status, body, patch) => {
    expect(of(status, body, patch).kind).toBe('unclear');
  });
  it('takes a refusal of the whole as one, with its words', () => {
    expect(of(400, { detail: 'not today' })).toEqual({ kind: 'all refused', message: 'not today', field: null });
    expect(of(200, { success: false, message: 'full' }, { answer: 'success' })).toMatchObject({ kind: 'all refused' });
  });
  it('never takes more than it was told, whatever the form of the answer', () => {
    // Of each body, one record is refused; where it can't be said which, nothing counts as taken.
    const forms = [
      { errors: [{ index: 1 }] },
      { errors: [{ row: 2 }] },
      { failures: [{ index: 1 }] },
      { rejected: ['b'] },
      { created: 2, failed: 1 },
      { items: [{ id: 1 }, { id: 2 }] },
      { data: { results: [] }, failed: [{ id: 'b' }] },
      { a: { ok: true }, b: { ok: false } },
    ];
    for (const body of forms) {
      const found = refused(of(200, body));
      expect(found === 'unclear' || (Array.isArray(found) && found.length === 1)).toBe(true);
    }
  });
});
