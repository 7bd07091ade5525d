import { allowedAddress, guardedLookup, requireAllowedHost } from './guard.ts';

describe('addresses that no business application has', () => {
  it.each([
    '169.254.169.254',
    '169.254.0.1',
    '[::ffff:169.254.169.254]',
    // As the address of a URL is written anew.
    new URL('http://[::ffff:169.254.169.254]/').hostname,
    '::ffff:a9fe:a9fe',
    '0:0:0:0:0:ffff:a9fe:a9fe',
    '64:ff9b::a9fe:a9fe',
    '2002:a9fe:a9fe::1',
    'fe80::1',
    'FE80::1',
    'fe80::1%eth0',
    '[fe80::1]',
    'ff02::1',
    'fd00:ec2::254',
    '::',
    '0.0.0.0',
    '0.1.2.3',
    '224.0.0.1',
    '255.255.255.255',
    '100.100.100.200',
    'metadata',
    'METADATA.google.internal.',
    'instance-data',
  ])('%s is refused by its name or number alone', (host) =>
    expect(() => requireAllowedHost(host)).toThrow(/is a link-local or metadata address/),
  );
  it.each([
    '127.0.0.1',
    '::1',
    '10.0.0.7',
    '192.168.1.1',
    '8.8.8.8',
    '2001:db8::1',
    'fd12::1',
    'localhost',
    'metadata.larkway.example',
    '169.253.1.1',
    '::ffff:10.0.0.7',
  ])('%s is not', (host) => expect(() => requireAllowedHost(host)).not.toThrow());
  it.each(['2852039166', '0xa9fea9fe', '0251.0376.0251.0376', '169.254.43518'])(
    '%s is the same number in another guise, and is refused when a connection is made',
    async (host) => {
      const [refusal] = await new Promise<[Error | null]>((resolve) =>
        guardedLookup(host, {}, (error) => resolve([error])),
      );
      // Where the resolver does not know the guise, there is no address at all.
      expect(refusal).not.toBeNull();
      await expect(allowedAddress(host)).rejects.toThrow();
    },
  );
  it('a name is looked up, and its address is given where it is allowed', async () => {
    expect(await allowedAddress('127.0.0.1')).toBe('127.0.0.1');
    expect(['127.0.0.1', '::1']).toContain(await allowedAddress('localhost'));
    const all = await new Promise((resolve) =>
      guardedLookup('localhost', { all: true }, (_error, found) => resolve(found)),
    );
    expect(Array.isArray(all)).toBe(true);
    await expect(allowedAddress('no-such-host.invalid')).rejects.toThrow();
  });
});
