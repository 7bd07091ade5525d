import { counted } from '@versicle/core';
import { Deliveries } from '../deliveries/deliveries.ts';
import type { Kind, KindContext, OpenSystem } from '../kind.ts';
import { settings, type WebhookConnection } from './settings.ts';

/** An address that others send to. What comes is kept as records of one dataset, `deliveries`. */
export const webhook: Kind<WebhookConnection> = {
  facts: {
    kind: 'webhook',
    words: 'Incoming webhook',
    holds: true,
    empty: 'Nothing was sent yet.',
    settledBy: null,
    asks: false,
    byRequest: false,
    arrives: 'deliveries',
    target: null,
  },
  settings,
  where: (_, id) => `/hooks/${id}`,
  place: [],
  makes: 'secret',
  open: (connection, context) => openWebhook(connection, context),
};

function openWebhook(connection: WebhookConnection, context: KindContext): OpenSystem {
  const deliveries = new Deliveries(context, {
    dataset: 'deliveries',
    description: 'what was sent to us',
    format: 'JSON, one object a delivery',
    front: { _received_at: (d) => d.receivedAt },
  });
  return {
    arrivals: deliveries.arrivals,
    datasets: () => deliveries.datasets(),
    describe: (dataset) => deliveries.describe(dataset),
    read: (dataset, options) => deliveries.read(dataset, options),
    async test() {
      const count = await deliveries.count();
      const what = connection.signs === 'all' ? 'time, id and body' : 'body';
      const signed = `${what} signed in ${connection.signatureHeader}`;
      return {
        ok: true,
        code: 'ok',
        message: `Deliveries are taken at /hooks/${context.system}, ${signed}; ${count === 0 ? 'none came yet' : `${counted(count, 'delivery', 'deliveries')} came so far`}.`,
        sees: [],
      };
    },
  };
}
