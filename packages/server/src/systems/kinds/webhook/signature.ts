import { createHmac, timingSafeEqual } from 'node:crypto';

/** What is signed of a delivery: `time.id.body`; null where one of them is missing. */
export function signedText(time: string | undefined, id: string | undefined, body: Uint8Array): Uint8Array | null {
  if (time === undefined || id === undefined || time === '' || id === '') return null;
  return Buffer.concat([Buffer.from(`${time}.${id}.`), body]);
}

export const signatureOf = (secret: string, signed: Uint8Array): string =>
  createHmac('sha256', secret).update(signed).digest('hex');
/** Whether a text carries the signature that the secret gives it; compared in constant time. */
export function isSigned(secret: string, signed: Uint8Array, signature: string | undefined): boolean {
  const given = Buffer.from((signature ?? '').replace(/^sha256=/i, ''), 'hex');
  const expected = Buffer.from(signatureOf(secret, signed), 'hex');
  return given.length === expected.length && timingSafeEqual(given, expected);
}

/** Whether a time (seconds since 1970, or ISO 8601) is no further from now than the tolerance. */
export function isFresh(time: string, toleranceSeconds: number, now: number): boolean {
  const at = /^\d{1,12}(\.\d+)?$/.test(time) ? Number(time) * 1000 : Date.parse(time);
  return Math.abs(now - at) <= toleranceSeconds * 1000;
}
