import { Fault } from '@versicle/core';
import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';
import { chmodSync, existsSync, readFileSync, statSync, writeFileSync } from 'node:fs';

/** AES-256-GCM with a key that lies outside the database: who has only the database has no secrets. */
export class Secrets {
  private constructor(private readonly key: Buffer) {}

  /** The key comes from the environment (64 hexadecimal digits), or from a file that only its owner may read. */
  static open(file: string, fromEnvironment: string | undefined): Secrets {
    if (fromEnvironment !== undefined) {
      if (!/^[0-9a-f]{64}$/i.test(fromEnvironment))
        throw new Fault('start', 'VERSICLE_KEY must be 64 hexadecimal digits (32 bytes).');
      return new Secrets(Buffer.from(fromEnvironment, 'hex'));
    }
    if (!existsSync(file)) writeFileSync(file, `${randomBytes(32).toString('hex')}\n`, { mode: 0o600, flag: 'wx' });
    if ((statSync(file).mode & 0o077) !== 0) chmodSync(file, 0o600);
    const text = readFileSync(file, 'utf8').trim();
    if (!/^[0-9a-f]{64}$/i.test(text))
      throw new Fault(
        'start',
        `${file} is not a key (64 hexadecimal digits). Put the right file back; without it, kept passwords can't be read.`,
      );
    return new Secrets(Buffer.from(text, 'hex'));
  }

  /** `bound` is what the text belongs to: it can't be opened in another's place. */
  seal(text: string, bound: string): string {
    const iv = randomBytes(12);
    const cipher = createCipheriv('aes-256-gcm', this.key, iv).setAAD(Buffer.from(bound));
    const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()]);
    return `1.${Buffer.concat([iv, cipher.getAuthTag(), sealed]).toString('base64')}`;
  }
  opens(sealed: string, bound: string): boolean {
    try {
      this.open(sealed, bound);
      return true;
    } catch {
      return false;
    }
  }
  open(sealed: string, bound: string): string {
    const bytes = Buffer.from(sealed.slice(2), 'base64');
    const decipher = createDecipheriv('aes-256-gcm', this.key, bytes.subarray(0, 12))
      .setAAD(Buffer.from(bound))
      .setAuthTag(bytes.subarray(12, 28));
    try {
      return Buffer.concat([decipher.update(bytes.subarray(28)), decipher.final()]).toString('utf8');
    } catch {
      throw new Error('The kept secrets can’t be opened with this key. Give the secrets of this system anew.');
    }
  }
}
