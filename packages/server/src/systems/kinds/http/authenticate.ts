import { refused } from '@versicle/core';
import type { HttpAnswer } from './answers.ts';
import type { Reached } from './settings.ts';

/** Seconds before its end that a token is taken for ended. */
const MARGIN = 30;
const REFRESH = 'oauth-refresh';

type Send = (request: {
  method: 'POST';
  url: string;
  headers: Record<string, string>;
  body: string;
}) => Promise<HttpAnswer>;
interface Kept {
  keptSecret(name: string): Promise<string | null>;
  keepSecret(name: string, value: string): Promise<void>;
  alone<T>(work: () => Promise<T>): Promise<T>;
}

/** Signing in was refused, or a token could not be had. */
export class NotAuthorised extends Error {}

/** Gives each request its credentials; tokens are asked for when they are needed and kept until they end. */
export class Authenticator {
  private token: { readonly value: string; readonly ends: number } | null = null;
  private asking: Promise<string> | null = null;

  constructor(
    private readonly connection: Reached,
    private readonly kept: Kept,
    private readonly send: Send,
  ) {}

  async headers(): Promise<Record<string, string>> {
    const c = this.connection;
    switch (c.auth) {
      case 'none':
        return {};
      case 'key':
        return { [c.keyHeader || 'X-Api-Key']: c.key ?? '' };
      case 'basic':
        return { authorization: `Basic ${Buffer.from(`${c.user ?? ''}:${c.password ?? ''}`).toString('base64')}` };
      case 'bearer':
        return { authorization: `Bearer ${c.token ?? ''}` };
      case 'client':
      case 'code':
        return { authorization: `Bearer ${await this.bearer()}` };
    }
  }
  canRenew(): boolean {
    return this.connection.auth === 'client' || this.connection.auth === 'code';
  }
  forget(): void {
    this.token = null;
  }

  private bearer(): Promise<string> {
    if (this.token && this.token.ends > Date.now()) return Promise.resolve(this.token.value);
    this.asking ??= this.ask().finally(() => (this.asking = null));
    return this.asking;
  }
  /** RFC 6749: client credentials (4.4), or the refresh token that an authorization left (6). */
  private async ask(): Promise<string> {
    const c = this.connection;
    if (c.auth === 'client') {
      const form: Record<string, string> = { grant_type: 'client_credentials' };
      if (c.scope) form['scope'] = c.scope;
      return this.exchange(form);
    }
    // Many of them are good for one use, and what the other process gets is the next one.
    return this.kept.alone(() => this.refresh());
  }
  private async refresh(): Promise<string> {
    const refresh = await this.kept.keptSecret(REFRESH);
    if (refresh === null)
      throw new NotAuthorised('Nobody has agreed yet; use “Sign in at the other side” on the page of the system.');
    return this.exchange({ grant_type: 'refresh_token', refresh_token: refresh });
  }

  /** The second half of the authorization code way (RFC 6749, 4.1.3; RFC 7636). */
  redeem(code: string, verifier: string, redirectUri: string): Promise<string> {
    return this.exchange({
      grant_type: 'authorization_code',
      code,
      redirect_uri: redirectUri,
      code_verifier: verifier,
    });
  }

  private async exchange(form: Record<string, string>): Promise<string> {
    const { tokenUrl, clientId, clientSecret } = this.connection;
    if (!tokenUrl || !clientId) throw refused('Signing in with OAuth 2 needs a token address and a client id.');
    const basic = Buffer.from(`${encodeURIComponent(clientId)}:${encodeURIComponent(clientSecret ?? '')}`);
    const answer = await this.send({
      method: 'POST',
      url: tokenUrl,
      headers: {
        'content-type': 'application/x-www-form-urlencoded',
        ...(clientSecret ? { authorization: `Basic ${basic.toString('base64')}` } : {}),
      },
      body: new URLSearchParams(clientSecret ? form : { ...form, client_id: clientId }).toString(),
    });
    let body: {
      access_token?: string;
      expires_in?: number;
      refresh_token?: string;
      error_description?: string;
      error?: string;
    };
    try {
      body = JSON.parse(answer.text) as typeof body;
    } catch {
      throw new NotAuthorised(`${tokenUrl} did not answer with a token (status ${answer.status}).`);
    }
    if (answer.status !== 200 || typeof body.access_token !== 'string')
      throw new NotAuthorised(
        `${tokenUrl} gave no token: ${body.error_description ?? body.error ?? `status ${answer.status}`}. Check client id and secret.`,
      );
    if (body.refresh_token) await this.kept.keepSecret(REFRESH, body.refresh_token);
    this.token = {
      value: body.access_token,
      ends: Date.now() + Math.max(1, (body.expires_in ?? 300) - MARGIN) * 1000,
    };
    return body.access_token;
  }
}
