import { execFileSync, spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, existsSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import pg from 'pg';

const BASE = '/usr/lib/postgresql';

/** The programs of Debian's PostgreSQL server, or null where it is not installed. */
export function postgresPrograms(): string | null {
  if (!existsSync(BASE)) return null;
  const newest = readdirSync(BASE).sort((a, b) => Number(b) - Number(a))[0];
  const bin = newest === undefined ? '' : join(BASE, newest, 'bin');
  return existsSync(join(bin, 'initdb')) ? bin : null;
}

/** A PostgreSQL server with a data directory of its own; root may not run one, so the user `postgres` does. */
export class PostgresServer {
  private constructor(
    readonly port: number,
    private readonly directory: string,
    private readonly child: ChildProcess,
  ) {}
  static readonly password = 'ledger-practice';

  static async start(options: { tls?: boolean; logical?: boolean } = {}): Promise<PostgresServer> {
    const bin = postgresPrograms()!;
    const directory = mkdtempSync(join(tmpdir(), 'versicle-pg-'));
    chmodSync(directory, 0o777);
    const data = join(directory, 'data');
    const passwords = join(directory, 'password');
    writeFileSync(passwords, PostgresServer.password, { mode: 0o644 });
    const asPostgres = process.getuid?.() === 0;
    const run = (program: string, args: string[]): [string, string[]] =>
      asPostgres ? ['runuser', ['-u', 'postgres', '--', join(bin, program), ...args]] : [join(bin, program), args];
    execFileSync(
      ...run('initdb', [
        '-D',
        data,
        '-U',
        'ledger',
        '-A',
        'scram-sha-256',
        `--pwfile=${passwords}`,
        '-E',
        'UTF8',
        '--no-sync',
      ]),
      { stdio: 'ignore', cwd: directory },
    );
    const port = await freePort();
    const settings = [
      '-c',
      'fsync=off',
      '-c',
      'listen_addresses=127.0.0.1',
      '-c',
      `unix_socket_directories=${directory}`,
    ];
    if (options.logical) settings.push('-c', 'wal_level=logical');
    if (options.tls) {
      certificate(directory, asPostgres);
      settings.push(
        '-c',
        'ssl=on',
        '-c',
        `ssl_cert_file=${directory}/cert.pem`,
        '-c',
        `ssl_key_file=${directory}/key.pem`,
      );
    }
    const child = spawn(...run('postgres', ['-D', data, '-p', String(port), ...settings]), {
      stdio: 'ignore',
      cwd: directory,
      detached: true,
    });
    const server = new PostgresServer(port, directory, child);
    for (let tries = 0; ; tries++) {
      try {
        await server.query('SELECT 1');
        return server;
      } catch (error) {
        if (tries > 100) throw error;
        await new Promise((r) => setTimeout(r, 100));
      }
    }
  }
  get certificate(): string {
    return execFileSync('cat', [join(this.directory, 'cert.pem')], { encoding: 'utf8' });
  }

  query(sql: string, database = 'postgres'): Promise<Record<string, unknown>[]> {
    return PostgresServer.queryAt(this.port, sql, database);
  }
  /** Asks one that somebody else started. */
  static async queryAt(port: number, sql: string, database = 'postgres'): Promise<Record<string, unknown>[]> {
    const client = new pg.Client({
      host: '127.0.0.1',
      port,
      user: 'ledger',
      password: PostgresServer.password,
      database,
    });
    await client.connect();
    try {
      const result = (await client.query(sql)) as unknown as pg.QueryResult | pg.QueryResult[];
      return (Array.isArray(result) ? result.at(-1)! : result).rows as Record<string, unknown>[];
    } finally {
      await client.end();
    }
  }
  async stop(): Promise<void> {
    const ended = new Promise((resolve) => this.child.once('exit', resolve));
    // SIGINT to the group: runuser hands nothing on.
    process.kill(-this.child.pid!, 'SIGINT');
    await ended;
    rmSync(this.directory, { recursive: true, force: true });
  }
}

function certificate(directory: string, asPostgres: boolean): void {
  execFileSync(
    'openssl',
    [
      'req',
      '-x509',
      '-newkey',
      'rsa:2048',
      '-nodes',
      '-days',
      '2',
      '-subj',
      '/CN=localhost',
      '-addext',
      'subjectAltName=DNS:localhost',
      '-keyout',
      'key.pem',
      '-out',
      'cert.pem',
    ],
    { cwd: directory, stdio: 'ignore' },
  );
  if (asPostgres) execFileSync('chown', ['postgres', 'key.pem', 'cert.pem'], { cwd: directory });
  chmodSync(join(directory, 'key.pem'), 0o600);
}
function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const probe = createServer();
    probe.listen(0, '127.0.0.1', () => {
      const { port } = probe.address() as AddressInfo;
      probe.close(() => resolve(port));
    });
  });
}
