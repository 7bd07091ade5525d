import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { root } from './setup.mjs';

/** With what the Membership service signs its notices. */
export const SIGN_UP_SECRET = 'sign-up-practice';

/**
 * Fills Versicle with the demo world, through the same requests that the pages use: its systems, its first mappings (three of
 * them published), plans, and finished runs; `loads`: the trips are loaded, too. What is there already is left alone.
 */
export async function seedDemo(address, folder, ports, { say = () => undefined, loads = true } = {}) {
  const call = caller(address);
  await system(call, { id: 'tidebridge', name: 'Tidebridge export', connection: { kind: 'folder', root: folder } });
  await members(call);
  await outside(call, ports);
  await known(call, folder);
  const stations = await plan(call, 'stations', 'Stations, once', 'First version, agreed with the warehouse team');
  const trips = await plan(call, 'trips', 'Trips, by the month', 'Agreed with Oda Fenn but for tariff Z');
  await joinedLater(call);
  for (const file of ['members', 'bikes', 'trip-months']) await draft(call, file);
  await life(call);
  say('Running the demo plans …');
  await run(call, stations);
  await run(call, trips, 1000);
  const nightly = await document(call, 'each-night');
  if (!loads) return;
  await run(call, trips);
  await run(call, nightly, 1000);
}

/** A plan as its document says it, made where it is not there yet. */
export async function document(call, file) {
  const plan = JSON.parse(readFileSync(join(root, `demo/plans/${file}.plan.versicle.json`), 'utf8'));
  const known = (await call('GET', '/plans')).find((p) => p.name === plan.name);
  return (known ?? (await call('POST', '/plans', { document: plan }))).id;
}

/** Columns that touch can't be guessed: they were drawn after the export's record description. */
async function members(call) {
  const widths = [6, 24, 10, 10, 1, 9, 5, 14];
  const names = ['member_no', 'name', 'born', 'joined', 'tariff', 'balance', 'type', 'town'];
  let from = 1;
  const columns = names.map((name, i) => {
    const column = { name, from, width: widths[i] };
    from += widths[i];
    return column;
  });
  const format = { kind: 'fixed', encoding: 'windows-1252', skipLines: 0, columns, emptyIsNull: true };
  await call('PUT', '/systems/tidebridge/setting', { dataset: 'members.txt', setting: { kind: 'format', format } });
}

/** The services of the demo world, as they listen now. */
function services(ports) {
  const at = (name, path = '') => `http://127.0.0.1:${ports[name]}${path}`;
  const http = (base, rest) => ({ kind: 'http', base, ...rest });
  return [
    {
      id: 'membership',
      name: 'Membership service',
      connection: http(at('membership', '/v2'), {
        auth: 'client',
        tokenUrl: at('membership', '/oauth/token'),
        clientId: 'versicle',
        clientSecret: 'larkway-practice',
        testPath: '/plans',
      }),
    },
    {
      id: 'docks',
      name: 'Dock network',
      connection: http(at('docks'), {
        auth: 'key',
        keyHeader: 'X-Api-Key',
        key: 'dock-practice',
        testPath: '/stations',
        pace: '3,000 a minute',
      }),
    },
    {
      id: 'workshop',
      name: 'Workshop register',
      connection: http(at('workshop'), { auth: 'basic', user: 'workshop', password: 'spanner', testPath: '/bikes' }),
    },
    { id: 'translator', name: 'Fault-code translator', connection: http(at('translator'), { testPath: '/codes' }) },
    {
      id: 'ledger',
      name: 'Ledger',
      connection: {
        kind: 'postgres',
        host: '127.0.0.1',
        port: ports.ledger,
        database: 'ledger',
        user: 'reader',
        password: 'ledger-practice',
        writeUser: 'poster',
        writePassword: 'posting-practice',
        windows: '22:00–06:00 UTC',
      },
    },
    {
      id: 'warehouse',
      name: 'Warehouse',
      connection: {
        kind: 'postgres',
        host: '127.0.0.1',
        port: ports.warehouse,
        database: 'warehouse',
        user: 'loader',
        password: 'warehouse-practice',
      },
    },
    {
      id: 'mail',
      name: 'Mail',
      connection: { kind: 'mail', host: '127.0.0.1', port: ports.smtp, tls: 'off', from: 'versicle@example.org' },
    },
  ];
}
/**
 * Started on another port, the demo's systems listen elsewhere, too: connections that are still as they were made follow.
 * What people changed is theirs.
 */
export async function followPorts(address, ports) {
  const call = caller(address);
  const known = await call('GET', '/systems');
  const withoutPorts = (connection) =>
    JSON.stringify(
      Object.entries(connection)
        .map(([name, value]) => [name, name === 'port' ? 0 : String(value).replace(/:\d+/, '')])
        .sort(),
    );
  for (const { id, connection } of services(ports)) {
    const now = known.find((s) => s.id === id);
    if (!now || now.connection.kind !== connection.kind) continue;
    const wanted = Object.fromEntries(
      Object.keys(now.connection).map((name) => [name, connection[name] ?? now.connection[name]]),
    );
    if (
      JSON.stringify(wanted) === JSON.stringify(now.connection) ||
      withoutPorts(wanted) !== withoutPorts(now.connection)
    )
      continue;
    await call('PUT', `/systems/${id}`, { name: now.name, connection: { ...connection, ...wanted } });
  }
}

/** The Membership service tells who joins and leaves, about every two minutes. */
export async function notices(address, ports) {
  await fetch(`http://127.0.0.1:${ports.control}/sign-ups`, {
    method: 'PUT',
    body: JSON.stringify({ to: `${address}/hooks/sign-ups`, secret: SIGN_UP_SECRET, everySeconds: 120 }),
  });
}

/** They are connected, with what their datasets are. */
async function outside(call, ports) {
  for (const service of services(ports)) await system(call, service);
  await system(call, {
    id: 'sign-ups',
    name: 'Sign-up notices',
    connection: { kind: 'webhook', secret: SIGN_UP_SECRET },
  });
  const { signed, ...setting } = await call('GET', '/notification-setting');
  if (setting.mailSystem === null) await call('PUT', '/notification-setting', { ...setting, mailSystem: 'mail' });
  const cursor = { kind: 'cursor', parameter: 'cursor', next: 'paging.next' };
  const pages = { kind: 'page', parameter: 'page', sizeParameter: 'size', size: 50 };
  const endpoints = {
    membership: {
      members: {
        description: 'All members',
        path: '/members',
        records: 'members',
        paging: cursor,
        find: { field: 'external_no', path: '/members?external_no={keys}', atOnce: 50 },
        write: { path: '/members/batch', batch: 50, member: 'members', answer: 'errors', repeat: { by: 'key' } },
      },
      'sign-ups': { description: 'Sign-ups, newest last', path: '/sign-ups', records: 'sign_ups', paging: cursor },
      plans: { description: 'Plans that can be booked', path: '/plans', records: '' },
    },
    docks: {
      stations: { description: 'Stations with docks', path: '/stations', records: 'stations' },
      status: {
        description: 'What is docked now, one call a station',
        path: '/stations/{code}/status',
        records: '',
        parent: { dataset: 'stations', parallel: 5 },
      },
    },
    workshop: {
      bikes: {
        description: 'Bikes of the register',
        path: '/bikes',
        body: 'xml',
        records: 'bikes/bike',
        paging: pages,
        find: { field: '@id', path: '/bikes/{key}', records: 'bike' },
        write: { method: 'PUT', path: '/bikes/{@id}', batch: 1, member: 'bike' },
      },
      orders: {
        description: 'Repair orders with tasks and parts',
        path: '/orders',
        body: 'xml',
        records: 'orders/order',
        paging: pages,
        write: { method: 'PUT', path: '/orders/{@no}', batch: 1, member: 'order' },
      },
    },
    translator: { codes: { description: 'All fault codes', path: '/codes', records: '' } },
  };
  for (const [id, datasets] of Object.entries(endpoints))
    for (const [dataset, endpoint] of Object.entries(datasets))
      await call('PUT', `/systems/${id}/setting`, { dataset, setting: { kind: 'endpoint', endpoint } });
  for (const id of Object.keys(endpoints)) await call('POST', `/systems/${id}/test`);
}

/** What is known of the systems beforehand: the export's schema, and the figures of its datasets. */
async function known(call, folder) {
  const content = readFileSync(join(folder, 'repairs.xsd')).toString('base64');
  await call('POST', '/systems/tidebridge/structures', { dataset: 'repairs.xml', fileName: 'repairs.xsd', content });
  const check = { rule: 'ended IS NOT NULL', message: 'has no end' };
  const checks = await call('GET', '/systems/tidebridge/knowledge?dataset=trips-*.csv');
  if (checks.checks.length === 0)
    await call('POST', '/systems/tidebridge/checks', { dataset: 'trips-*.csv', ...check });
  for (const id of ['tidebridge', 'membership', 'docks', 'workshop', 'translator', 'ledger', 'warehouse'])
    await call('POST', `/systems/${id}/catalogue`, { profile: id === 'tidebridge' });
}

async function system(call, wanted) {
  const known = await call('GET', '/systems');
  if (!known.some((s) => s.id === wanted.id)) await call('POST', '/systems', wanted);
}

/** `person`: who asks; without, whoever owns the demo. */
export function caller(address, person = null) {
  const call = async (method, path, body) => {
    const response = await fetch(`${address}/api${path}`, {
      method,
      headers: {
        ...(body ? { 'Content-Type': 'application/json' } : {}),
        ...(person ? { 'X-Person': encodeURIComponent(person) } : {}),
      },
      ...(body ? { body: JSON.stringify(body) } : {}),
    });
    const answer = await response.json();
    if (!response.ok) throw new Error(`${method} ${path}: ${answer.detail}`);
    return answer;
  };
  /** The same as somebody else. */
  call.as = (other) => caller(address, other);
  return call;
}

/** What several people did to the documents: edits, comments, signatures, revisions, and the code tables that they share. */
async function life(call) {
  const oda = call.as('Oda Fenn');
  const hanno = call.as('Hanno Brandt');
  const mappings = await call('GET', '/mappings');
  const id = (name) => mappings.find((m) => m.name.startsWith(name)).id;
  const stations = id('Stations');
  if ((await call('GET', `/mappings/${stations}/revisions`)).length === 1) {
    await edit(hanno, stations, 'sheltered', { note: 'The export says yes or no, nothing else.' });
    await edit(oda, stations, 'sheltered', { state: 'agreed' });
    const [agreed] = await oda('GET', `/mappings/${stations}/lines/l08/history`);
    await oda('PUT', `/mappings/${stations}/lines/l08/history/${agreed.id}/why`, {
      why: 'The depot and I looked at two of them',
    });
    await hanno('POST', `/mappings/${stations}/lines/l08/comments`, {
      text: 'I asked at the depot: a roof over half of the docks counts as sheltered.',
    });
    await oda('POST', `/mappings/${stations}/publish`, { note: 'What sheltered means is agreed with the depot' });
  }
  const tables = await call('GET', '/codes');
  const kept = (name) => tables.some((t) => t.name === name && t.kept);
  const trips = id('Trips to');
  for (const name of ['tariff', 'bikes', 'stations'])
    if (!kept(name)) await hanno('POST', '/codes', { name, fromMapping: trips });
  if (kept('faults')) return;
  await hanno('POST', '/codes', {
    name: 'faults',
    description: 'Tidebridge’s repair fault codes, and those of the Workshop register',
    codes: [
      { from: '01', to: 'BRK', meaning: 'Brake' },
      { from: '02', to: 'CHN', meaning: 'Chain' },
    ],
  });
  const { version, codes, description } = await hanno('GET', '/codes/faults');
  const translation = { system: 'translator', path: '/translate?code={code}', to: 'to' };
  await hanno('PUT', '/codes/faults', { description, codes, otherwise: null, translation, version });
}
/** Members went out once before the tariff sheet was found, and were joined with it by somebody else. */
async function joinedLater(call) {
  const oda = call.as('Oda Fenn');
  const whole = documentOf('members');
  if ((await call('GET', '/mappings')).some((m) => m.name === whole.name)) return;
  const lines = whole.lines.map((l) =>
    l.target === 'active' ? { id: l.id, target: l.target, kind: 'constant', value: 'true', state: 'drafted' } : l,
  );
  const examples = whole.examples.map((e) => ({
    ...e,
    source: Object.fromEntries(Object.entries(e.source).filter(([name]) => !name.startsWith('t.'))),
    expect: {
      ...e.expect,
      values: Object.fromEntries(Object.entries(e.expect.values).filter(([n]) => n !== 'active')),
    },
  }));
  const first = { ...whole, source: { primary: whole.source.primary }, lines, examples };
  const { id, version } = await signed(call, first);
  await call('POST', `/mappings/${id}/publish`, { note: 'As talked through with the Membership service' });
  await oda('PUT', `/mappings/${id}/draft`, { document: whole, version });
  const [edited] = await oda('GET', `/mappings/${id}/lines/l09/history`);
  const why = 'The tariff sheet of 2019 turned up; who rides on a tariff that was given up is not active';
  await oda('PUT', `/mappings/${id}/lines/l09/history/${edited.id}/why`, { why });
  await oda('POST', `/mappings/${id}/publish`, { note: 'Members are joined with the tariff sheet' });
}

/** A change to the line of a target field, as somebody. */
async function edit(call, id, target, patch) {
  const { document, version } = await call('GET', `/mappings/${id}`);
  const lines = document.lines.map((l) => (l.target === target ? { ...l, ...patch } : l));
  await call('PUT', `/mappings/${id}/draft`, { document: { ...document, lines }, version });
}

const documentOf = (file) => JSON.parse(readFileSync(join(root, `demo/mappings/${file}.versicle.json`), 'utf8'));

/** A mapping that is nearly finished, made where it is not there yet. */
export async function draft(call, file) {
  const document = documentOf(file);
  const mappings = await call('GET', '/mappings');
  return mappings.find((m) => m.name === document.name) ?? (await signed(call, document));
}
/** Made as a draft; what is agreed in it was signed by somebody. */
async function signed(call, document) {
  const lines = document.lines.map((l) => (l.state === 'agreed' ? { ...l, state: 'drafted' } : l));
  const { id, version } = await call('POST', '/mappings', { document: { ...document, lines } });
  const signer = document.target.dataset.startsWith('workshop/') ? 'Hanno Brandt' : 'Oda Fenn';
  await call.as(signer)('PUT', `/mappings/${id}/draft`, { document, version });
  return call('GET', `/mappings/${id}`);
}

/** The plan of a mapping, both made and the mapping published where that has not been done. Gives the plan. */
async function plan(call, file, name, note) {
  const mapping = await draft(call, file);
  if ((mapping.revision ?? null) === null) await call('POST', `/mappings/${mapping.id}/publish`, { note });
  const known = (await call('GET', '/plans')).find((p) => p.name === name);
  return (known ?? (await call('POST', '/plans', { name, mapping: mapping.id }))).id;
}

/** A finished run of the plan, of all records or the first few; an earlier one counts. */
async function run(call, plan, rowLimit = null) {
  const earlier = (await call('GET', `/runs?plan=${plan}`)).find((r) => r.kind !== 'replay' && r.rowLimit === rowLimit);
  const id = earlier?.id ?? (await call('POST', `/plans/${plan}/start`, { rowLimit })).run;
  for (;;) {
    const { state, error } = await call('GET', `/runs/${id}`);
    if (state === 'finished') return;
    if (state !== 'queued' && state !== 'running') throw new Error(`Run ${id} is ${state}${error ? `: ${error}` : ''}`);
    await new Promise((again) => setTimeout(again, 100));
  }
}
