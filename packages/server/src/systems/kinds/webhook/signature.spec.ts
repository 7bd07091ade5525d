import { isFresh, isSigned, signedText } from './signature.ts';

describe('signatures of deliveries', () => {
  const body = Buffer.from('{"a":1}');
  it('are over time, id and body: another time or id is another text', () => {
    const texts = [signedText('1', 'a', body), signedText('2', 'a', body), signedText('1', 'b', body)].map((t) =>
      Buffer.from(t!).toString(),
    );
    expect(new Set(texts).size).toBe(3);
    expect(signedText(undefined, 'a', body)).toBeNull();
    expect(signedText('1', '', body)).toBeNull();
    expect(isSigned('s', body, undefined)).toBe(false);
    expect(isSigned('s', body, 'zz')).toBe(false);
  });
  it('hold for their time', () => {
    const now = Date.parse('2026-08-03T12:00:00Z');
    expect(isFresh('1785758400', 300, now)).toBe(true);
    expect(isFresh('2026-08-03T12:04:00Z', 300, now)).toBe(true);
    expect(isFresh('2026-08-03T11:54:00Z', 300, now)).toBe(false);
    expect(isFresh('2026-08-03T12:06:00Z', 300, now)).toBe(false);
    expect(isFresh('yesterday', 300, now)).toBe(false);
  });
});
