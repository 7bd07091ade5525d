import type { Found } from '../kind.ts';
import { ForbiddenAddress } from './guard.ts';

const TLS_CODES = new Set([
  'DEPTH_ZERO_SELF_SIGNED_CERT',
  'SELF_SIGNED_CERT_IN_CHAIN',
  'UNABLE_TO_VERIFY_LEAF_SIGNATURE',
  'UNABLE_TO_GET_ISSUER_CERT',
  'UNABLE_TO_GET_ISSUER_CERT_LOCALLY',
  'CERT_HAS_EXPIRED',
  'CERT_NOT_YET_VALID',
  'ERR_TLS_CERT_ALTNAME_INVALID',
  'CERT_SIGNATURE_FAILURE',
]);

export const failed = (code: string, message: string, sees: readonly string[] = []): Found => ({
  ok: false,
  code,
  message,
  sees: [...sees],
});

/** What kept a connection from being made, in words; null when it was something else. `where` is host:port. */
export function diagnoseNetwork(error: unknown, where: string): Found | null {
  const e = error as { code?: string; message?: string; cause?: unknown; errors?: unknown[] };
  if (error instanceof ForbiddenAddress) return failed('forbidden_address', error.message);
  const host = where.replace(/:\d+$/, '');
  switch (e.code) {
    case 'ENOTFOUND':
    case 'EAI_AGAIN':
    case 'EAI_NONAME':
      return failed(
        'name_not_found',
        `There is no host called ${host}. Check the spelling, or whether this machine's name server knows it.`,
      );
    case 'ECONNREFUSED':
      return failed(
        'refused',
        `Nothing answers at ${where}: the connection was refused. Check the port, and whether the service runs.`,
      );
    case 'ETIMEDOUT':
    case 'UND_ERR_CONNECT_TIMEOUT':
    case 'UND_ERR_HEADERS_TIMEOUT':
    case 'UND_ERR_BODY_TIMEOUT':
    case 'EHOSTUNREACH':
    case 'ENETUNREACH':
    case 'TIMEOUT':
      return failed(
        'timed_out',
        `${where} did not answer in time. A firewall may be in between, or the service is overloaded.`,
      );
    case 'ECONNRESET':
    case 'EPIPE':
    case 'UND_ERR_SOCKET':
      return failed(
        'connection_lost',
        `${where} closed the connection before it answered. It may expect TLS, or not expect it.`,
      );
    case 'EPROTO':
    case 'ERR_SSL_WRONG_VERSION_NUMBER':
      return failed(
        'unexpected_answer',
        `${where} does not speak TLS on this port. Switch TLS off, or use its TLS port.`,
      );
    default:
  }
  if (e.code && TLS_CODES.has(e.code))
    return failed(
      'tls_not_trusted',
      `The certificate of ${where} is not trusted (${e.code.toLowerCase().replaceAll('_', ' ')}). Give the certificate authority that signed it.`,
    );
  for (const inner of [e.cause, ...(e.errors ?? [])]) {
    const found = inner ? diagnoseNetwork(inner, where) : null;
    if (found) return found;
  }
  return null;
}
