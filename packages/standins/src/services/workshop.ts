import { Random } from '../random.ts';
import { BIKE_COUNT, bikeId } from '../tidebridge/trips.ts';
import { Service, type Asked, type Reply } from './service.ts';

const FAULTS = ['BRK', 'CHN', 'GRS', 'LGT', 'TYR', 'WHL'];
const PAGE = 50;
/** Orders that the register has of its own. */
const OWN_ORDERS = 420;

/** The Workshop register, in XML: bikes and repair orders with their tasks and parts, by page number; basic sign-in. */
export function workshop(): Service {
  /** Bikes that were written, by number. */
  const written = new Map<string, string>();
  /** Orders that others brought, by number. */
  const orders = new Map<string, string>();
  return new Service('workshop', (asked): Reply => {
    const basic = `Basic ${Buffer.from('workshop:spanner').toString('base64')}`;
    if (asked.headers.authorization !== basic)
      return xml(401, '<problem><message>Who are you?</message></problem>', { 'WWW-Authenticate': 'Basic' });
    if (asked.path === '/bikes') return page(asked, 'bikes', BIKE_COUNT, (n) => written.get(bikeId(n)) ?? bike(n));
    const number = /^\/bikes\/([^/]+)$/.exec(asked.path)?.[1];
    if (asked.method === 'GET' && number) return one(decodeURIComponent(number), written);
    if (asked.method === 'PUT' && number) return put(decodeURIComponent(number), asked.body, written);
    if (asked.path === '/orders') {
      const added = [...orders.values()];
      return page(asked, 'orders', OWN_ORDERS + added.length, (n) =>
        n > OWN_ORDERS ? added[n - OWN_ORDERS - 1]! : order(n),
      );
    }
    const orderNo = /^\/orders\/([^/]+)$/.exec(asked.path)?.[1];
    if (asked.method === 'PUT' && orderNo) return putOrder(decodeURIComponent(orderNo), asked.body, orders);
    return xml(404, `<problem><message>Nothing at ${asked.path}</message></problem>`);
  });
}
function page({ query }: Asked, name: string, count: number, element: (n: number) => string): Reply {
  const number = Math.max(1, Number(query.get('page') ?? 1));
  const from = (number - 1) * PAGE;
  const elements = Array.from({ length: Math.max(0, Math.min(PAGE, count - from)) }, (_, i) => element(from + i + 1));
  return xml(200, `<${name} page="${number}" of="${Math.ceil(count / PAGE)}">${elements.join('')}</${name}>`);
}
function one(id: string, written: Map<string, string>): Reply {
  const n = Array.from({ length: BIKE_COUNT }, (_, i) => i + 1).find((i) => bikeId(i) === id);
  if (n === undefined) return xml(404, '<problem><message>The register has no such bike.</message></problem>');
  return xml(200, written.get(id) ?? bike(n));
}
const WHEELS = ['610', '660', '711'];
const GEARS = ['3', '7', '8'];
/** A bike is taken when the register knows it, its model and its wheels. */
function put(id: string, body: string, written: Map<string, string>): Reply {
  const refuse = (status: number, field: string, message: string): Reply =>
    xml(status, `<problem><field>${field}</field><message>${message}</message></problem>`);
  const text = (pattern: RegExp): string => pattern.exec(body)?.[1] ?? '';
  if (!/<bike[\s>]/.test(body)) return refuse(400, '', 'Send a bike element.');
  const n = Array.from({ length: BIKE_COUNT }, (_, i) => i + 1).find((i) => bikeId(i) === id);
  if (n === undefined) return refuse(404, '@id', 'The register has no such bike.');
  const model = text(/<model>([^<]*)<\/model>/);
  const wheel = text(/<wheel[^>]*>([^<]*)<\/wheel>/);
  const bought = text(/<bought>([^<]*)<\/bought>/);
  if (!/^TB-[1-4]$/.test(model)) return refuse(422, 'model', 'model is none that the register knows');
  if (!WHEELS.includes(wheel)) return refuse(422, 'wheel', `wheel must be one of ${WHEELS.join(', ')} mm`);
  const gears = text(/<gears>([^<]*)<\/gears>/);
  if (gears !== '' && !GEARS.includes(gears)) return refuse(422, 'gears', `gears must be one of ${GEARS.join(', ')}`);
  if (!/^\d{4}-\d{2}-\d{2}$/.test(bought)) return refuse(422, 'bought', 'bought is not a date');
  written.set(
    id,
    `<bike id="${id}"><model>${model}</model>${gears === '' ? '' : `<gears>${gears}</gears>`}<wheel unit="mm">${wheel}</wheel><bought>${bought}</bought></bike>`,
  );
  return xml(200, written.get(id)!);
}
/** An order is taken when its bike is known, and what it cost is no less than nothing. */
function putOrder(no: string, body: string, orders: Map<string, string>): Reply {
  const refuse = (field: string, message: string): Reply =>
    xml(422, `<problem><field>${field}</field><message>${message}</message></problem>`);
  const text = (name: string): string => new RegExp(`<${name}[^>]*>([^<]*)</${name}>`).exec(body)?.[1] ?? '';
  if (!/<order[\s>]/.test(body)) return refuse('', 'Send an order element.');
  if (!/^[A-Z]?\d{5,6}$/.test(no)) return refuse('@no', 'an order number has a letter and digits');
  const [bikeNo, opened, cost] = [text('bike'), text('opened'), text('cost')];
  const known = Array.from({ length: BIKE_COUNT }, (_, i) => bikeId(i + 1)).includes(bikeNo);
  if (!known) return refuse('bike', 'the register has no such bike');
  if (!/^\d{4}-\d{2}-\d{2}$/.test(opened)) return refuse('opened', 'opened is not a date');
  if (cost !== '' && !(Number(cost) >= 0)) return refuse('cost', 'a cost is not below 0; send credits to the ledger');
  orders.set(
    no,
    `<order no="${no}"><bike>${bikeNo}</bike><opened>${opened}</opened><technician>${text('technician')}</technician><cost currency="GBP">${cost}</cost></order>`,
  );
  return xml(200, orders.get(no)!);
}
function bike(n: number): string {
  const random = new Random(31 + n * 13);
  return `<bike id="${bikeId(n)}"><model>TB-${random.whole(1, 4)}</model><wheel unit="mm">${random.pick([610, 660, 711])}</wheel><bought>20${random.whole(15, 24)}-0${random.whole(1, 9)}-15</bought></bike>`;
}
function order(n: number): string {
  const random = new Random(77 + n * 17);
  const tasks = Array.from({ length: random.whole(1, 3) }, (_, t) => {
    const parts = Array.from(
      { length: random.whole(0, 2) },
      () => `<part no="P-${random.whole(100, 199)}" qty="${random.whole(1, 4)}"/>`,
    );
    return `<task no="${t + 1}"><fault>${random.pick(FAULTS)}</fault>${parts.join('')}</task>`;
  });
  return `<order no="W${String(n).padStart(5, '0')}"><bike>${bikeId(random.whole(1, BIKE_COUNT))}</bike><opened>2026-0${random.whole(1, 9)}-1${random.whole(0, 9)}</opened>${tasks.join('')}</order>`;
}
const xml = (status: number, body: string, headers: Record<string, string> = {}): Reply => ({
  status,
  headers: { 'Content-Type': 'application/xml', ...headers },
  body: `<?xml version="1.0" encoding="UTF-8"?>\n${body}`,
});
