import { refused } from '@versicle/core';
import { createHash, randomBytes } from 'node:crypto';
import { Router, type Request, type Response } from 'express';
import type { Database } from '@versicle/postgres';
import type { Secrets } from '../store/secrets.ts';
import { BRIEF, HttpClient } from './kinds/http/client.ts';
import { isReached } from './kinds/http/settings.ts';
import type { Systems } from './systems.ts';

/** Minutes that a person has for agreeing at the other side. */
const PATIENCE = 10;

interface Begun {
  readonly verifier: string;
  readonly redirectUri: string;
}

/** OAuth 2 by authorization code with PKCE (RFC 6749, 4.1; RFC 7636): a person agrees at the other side, and comes back. */
export class SignIn {
  constructor(
    private readonly db: Database,
    private readonly systems: Systems,
    private readonly secrets: Secrets,
  ) {}

  /** Where the person is sent. `origin` is the address under which the page is open. */
  async begin(system: string, origin: string): Promise<{ url: string }> {
    const connection = await this.systems.connection(system);
    if (!isReached(connection) || connection.auth !== 'code')
      throw refused('This system does not sign in by authorization code.');
    if (!connection.authorizeUrl || !connection.clientId)
      throw refused('Signing in needs an authorization address and a client id; change the connection.');
    const verifier = randomBytes(32).toString('base64url');
    const state = randomBytes(16).toString('base64url');
    const redirectUri = `${origin}/sign-in/back`;
    const begun: Begun = { verifier, redirectUri };
    // The person may come back to another process than this one.
    await this.db.transaction([
      { sql: 'DELETE FROM sign_in WHERE until < clock_timestamp()' },
      {
        sql: 'INSERT INTO sign_in (state, system, begun, until) VALUES ($1, $2, $3, clock_timestamp() + make_interval(mins => $4))',
        params: [state, system, this.secrets.seal(JSON.stringify(begun), state), PATIENCE],
      },
    ]);
    const url = new URL(connection.authorizeUrl);
    const asked = {
      response_type: 'code',
      client_id: connection.clientId,
      redirect_uri: redirectUri,
      state,
      code_challenge: createHash('sha256').update(verifier).digest('base64url'),
      code_challenge_method: 'S256',
      ...(connection.scope ? { scope: connection.scope } : {}),
    };
    for (const [name, value] of Object.entries(asked)) url.searchParams.set(name, value);
    return { url: url.href };
  }

  /** Trades the code for tokens and tests the connection; gives the system's id. */
  async finish(state: string, code: string | undefined, error: string | undefined): Promise<string> {
    const [row] = await this.db.query<{ system: string; begun: string; in_time: boolean }>(
      'DELETE FROM sign_in WHERE state = $1 RETURNING system, begun, until > clock_timestamp() AS in_time',
      [state],
    );
    if (!row?.in_time)
      throw refused('This signing in was not begun here, or took too long; begin again on the page of the system.');
    if (!code) throw refused(`The other side did not agree: ${error ?? 'it gave no reason'}.`);
    const begun = JSON.parse(this.secrets.open(row.begun, state)) as Begun;
    const connection = await this.systems.connection(row.system);
    if (!isReached(connection)) throw refused('The system is of another kind by now.');
    const client = new HttpClient(connection, this.systems.keeper(row.system), BRIEF);
    try {
      await client.redeem(code, begun.verifier, begun.redirectUri);
    } catch (reason) {
      throw refused((reason as Error).message);
    } finally {
      await client.close();
    }
    await this.systems.test(row.system);
    return row.system;
  }
}

export function signInRoutes(signIn: SignIn): Router {
  const router = Router();
  router.get('/sign-in/back', async (req: Request, res: Response) => {
    const text = (name: string): string | undefined => {
      const value = req.query[name];
      return typeof value === 'string' ? value : undefined;
    };
    const system = await signIn.finish(text('state') ?? '', text('code'), text('error_description') ?? text('error'));
    res.redirect(`/systems/${encodeURIComponent(system)}`);
  });
  return router;
}
