import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import { addressesOf, isForbiddenAddress } from '../../src/platform/addresses.ts';

describe('addresses that nothing of ours connects to', () => {
  it('are where clouds and routers keep what is not for us', () => {
    for (const address of [
      '169.254.169.254',
      '169.254.0.1',
      '0.0.0.0',
      '0.1.2.3',
      '224.0.0.1',
      '239.255.255.255',
      '240.0.0.1',
      '255.255.255.255',
      '::',
      'fe80::1',
      'febf::1',
      'ff02::1',
      'fd00:ec2::254',
    ])
      assert.equal(isForbiddenAddress(address), true, address);
  });

  it('are so however they are written', async () => {
    for (const address of [
      '::ffff:169.254.169.254',
      '::FFFF:169.254.169.254',
      // As an address bar writes it.
      new URL('http://[::ffff:169.254.169.254]/').hostname.slice(1, -1),
      '64:ff9b::a9fe:a9fe',
      '64:ff9b::169.254.169.254',
      'fe80:0:0:0:0:0:0:1',
    ])
      assert.equal(isForbiddenAddress(address), true, address);
    // Names that a resolver takes for the same address.
    for (const host of ['2852039166', '0xa9fea9fe', '169.16689662', '0251.0376.0251.0376']) {
      const found = await addressesOf(host);
      assert.ok(found.every(isForbiddenAddress), `${host}: ${found.join(', ')}`);
    }
  });

  it('are not those of a house: loopback, private networks, and the world', () => {
    for (const address of [
      '127.0.0.1',
      '10.1.2.3',
      '172.16.0.1',
      '192.168.1.1',
      '203.0.113.7',
      '168.254.169.254',
      '170.254.169.254',
      '::1',
      'fd12:3456::1',
      '2001:db8::1',
      '::ffff:10.0.0.1',
    ])
      assert.equal(isForbiddenAddress(address), false, address);
  });

  it('are looked up; what has no address has none', async () => {
    assert.deepEqual(await addressesOf('192.0.2.1'), ['192.0.2.1']);
    assert.ok((await addressesOf('localhost')).some((one) => ['127.0.0.1', '::1'].includes(one)));
    assert.deepEqual(await addressesOf('nobody.invalid'), []);
  });
});
