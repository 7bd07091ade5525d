import { refused } from '@versicle/core';
import { lookup as dnsLookup, type LookupAddress, type LookupOptions } from 'node:dns';
import { BlockList, isIP } from 'node:net';

/** Addresses that no business application has: link-local ones, where clouds keep their credentials, and “nowhere”. */
const forbidden = new BlockList();
forbidden.addSubnet('169.254.0.0', 16, 'ipv4');
forbidden.addSubnet('0.0.0.0', 8, 'ipv4');
forbidden.addSubnet('224.0.0.0', 4, 'ipv4');
forbidden.addAddress('255.255.255.255', 'ipv4');
forbidden.addAddress('100.100.100.200', 'ipv4');
forbidden.addSubnet('fe80::', 10, 'ipv6');
forbidden.addSubnet('ff00::', 8, 'ipv6');
forbidden.addAddress('fd00:ec2::254', 'ipv6');
forbidden.addAddress('::', 'ipv6');
// The link-local ones once more, as gateways from IPv6 write them (RFC 6052, RFC 3056).
forbidden.addSubnet('64:ff9b::a9fe:0', 112, 'ipv6');
forbidden.addSubnet('2002:a9fe::', 32, 'ipv6');
const FORBIDDEN_NAMES = /^(metadata|metadata\.google\.internal|instance-data)\.?$/i;

export class ForbiddenAddress extends Error {
  readonly code = 'forbidden_address';
  constructor(host: string) {
    super(`${host} is a link-local or metadata address; Versicle does not send requests there.`);
  }
}

function isForbidden(address: string): boolean {
  // A zone (fe80::1%eth0) is no part of the number.
  const bare = address.replace(/%.*$/, '');
  const family = isIP(bare);
  // Addresses of IPv4 in the form of IPv6 are told by the rules for IPv4.
  return family !== 0 && forbidden.check(bare, family === 4 ? 'ipv4' : 'ipv6');
}

/** Refuses what is forbidden by its name or number alone. */
export function requireAllowedHost(host: string): void {
  const bare = host.replace(/^\[|\]$/g, '');
  if (FORBIDDEN_NAMES.test(bare) || isForbidden(bare)) throw refused(new ForbiddenAddress(host).message);
}

type Answer = (error: NodeJS.ErrnoException | null, address: string | LookupAddress[], family?: number) => void;

/** Looks a name up for a connection that is about to be made, so that no name can turn into a forbidden address in between. */
export function guardedLookup(host: string, options: LookupOptions, answer: Answer): void {
  dnsLookup(host, { ...options, all: true }, (error, found) => {
    if (error) return answer(error, []);
    if (FORBIDDEN_NAMES.test(host) || found.some((a) => isForbidden(a.address)))
      return answer(new ForbiddenAddress(host), []);
    if (options.all) return answer(null, found);
    answer(null, found[0]!.address, found[0]!.family);
  });
}

/** The number of a host, for libraries that take no lookup of ours. */
export function allowedAddress(host: string): Promise<string> {
  requireAllowedHost(host);
  return new Promise((resolve, reject) =>
    guardedLookup(host, {}, (error, address) => (error ? reject(error) : resolve(address as string))),
  );
}
