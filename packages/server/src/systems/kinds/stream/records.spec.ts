import fc from 'fast-check';
import type { Came } from '../kind.ts';
import { EventRecords, LineRecords, type Records } from './records.ts';

const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
/** The bytes in pieces that are cut anywhere. */
function inPieces(records: Records, text: string, cuts: readonly number[]): Came[] {
  const whole = bytes(text);
  const places = [...new Set(cuts.map((c) => c % (whole.length + 1)))].sort((a, b) => a - b);
  const came: Came[] = [];
  let from = 0;
  for (const to of [...places, whole.length]) {
    came.push(...records.push(whole.subarray(from, to)));
    from = to;
  }
  return [...came, ...records.end()];
}
const ids = (came: readonly Came[]): (string | null)[] => came.map((c) => c.id);

describe('records of a stream', () => {
  // A zero byte is in no record: PostgreSQL takes none.
  const name = fc.string({ unit: 'binary' }).filter((text) => !text.includes('\0'));
  const content = fc.record({ id: fc.uuid(), name });
  it('are the same wherever the bytes are cut', () => {
    fc.assert(
      fc.property(fc.array(content, { maxLength: 8 }), fc.array(fc.nat(2000)), fc.boolean(), (list, cuts, events) => {
        const bodies = list.map((r) => JSON.stringify(r));
        const text = events
          ? bodies.map((b, i) => `id: ${i}\nevent: e\ndata: ${b}\n\n`).join(': beat\n\n')
          : bodies.map((b) => `${b}\r\n`).join('\n');
        const came = inPieces(events ? new EventRecords('', new Set()) : new LineRecords('id'), text, cuts);
        expect(came.map((c) => c.body)).toEqual(bodies);
        expect(ids(came)).toEqual(list.map((r, i) => (events ? String(i) : r.id)));
      }),
    );
  });
  it('are known by the id of the event, or by the field that has it', () => {
    const events = new EventRecords('of.no', new Set());
    expect(
      ids(events.push(bytes('id: a\ndata: {"of":{"no":1}}\n\ndata: {"of":{"no":12345678901234567890}}\n\n'))),
    ).toEqual(['a', '12345678901234567890']);
    expect(events.lastId).toBe('12345678901234567890');
    expect(ids(events.push(bytes('data: {"of":2}\n\ndata: {"of":{"no":""}}\n\n')))).toEqual([null, null]);
    expect(events.lastId).toBe('12345678901234567890');
  });
  it('that are not asked for are passed, and count as passed', () => {
    const events = new EventRecords('', new Set(['docked']));
    expect(
      ids(events.push(bytes('id: 1\nevent: docked\ndata: {}\n\nid: 2\nevent: beat\ndata: {}\n\nretry: 700\n\n'))),
    ).toEqual(['1']);
    expect(events).toMatchObject({ lastId: '2', wait: 700 });
  });
  it('at the end are taken when they are whole', () => {
    const take = (text: string): Came[] => inPieces(new LineRecords('no'), text, []);
    expect(ids(take('{"no":1}\n{"no":2}'))).toEqual(['1', '2']);
    expect(ids(take('{"no":1}\n{"no":'))).toEqual(['1']);
    expect(inPieces(new EventRecords('', new Set()), 'id: 1\ndata: {}\n\nid: 2\ndata: {}', [])).toHaveLength(1);
  });
  it('that can’t be read are kept as they came, once', () => {
    const lines = new LineRecords('no');
    const came = lines.push(bytes('{"no":1}\nwhat?\n[1]\nwhat?\n\0\n'));
    expect(came.map((c) => c.body)).toEqual(['{"no":1}', 'what?', '[1]', 'what?', '\uFFFD']);
    expect(came[1]!.id).toBe(came[3]!.id);
    expect(lines.lastId).toBe('1');
    const [odd] = lines.push(Uint8Array.of(...bytes('{"no":"'), 0xff, ...bytes('"}\n')));
    expect(odd!.body).toMatch(/^not UTF-8: /);
  });
  it('that stand before something that can’t be taken are taken', () => {
    const large = 'x'.repeat(3_000_000);
    for (const records of [new EventRecords('no', new Set()), new LineRecords('no')]) {
      const [before, bad] =
        records instanceof LineRecords ? ['{"no":1}\n', large] : ['data: {"no":1}\n\n', `data: ${large}`];
      const came = records.push(bytes(before + bad));
      expect(came.map((c) => [c.id, c.position])).toEqual([['1', '1']]);
      expect(() => records.end()).toThrow('more than 2 MB');
    }
    const events = new EventRecords('no', new Set());
    expect(ids(events.push(Uint8Array.of(...bytes('data: {"no":1}\n\ndata: '), 0xff, 10, 10)))).toEqual(['1']);
    expect(() => events.push(bytes('\n'))).toThrow('not UTF-8');
  });
  it('that are too large, or events that are not UTF-8, are refused with a sentence', () => {
    const large = 'x'.repeat(3_000_000);
    expect(() => new LineRecords('no').push(bytes(large))).toThrow('more than 2 MB');
    expect(() => new EventRecords('', new Set()).push(bytes(`data: ${large}`))).toThrow('more than 2 MB');
    expect(() => new EventRecords('', new Set()).push(Uint8Array.of(0xff, 10))).toThrow('not UTF-8');
  });
});
