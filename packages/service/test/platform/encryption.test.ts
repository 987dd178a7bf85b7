import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import {
  fingerprint,
  hashPassword,
  isPassword,
  isSameSecret,
  randomKey,
  readSettings,
  Vault,
} from '../../src/platform/index.ts';
import { isRefusal, type Refusal } from '@underbell/core/refusal';

describe('Vault', () => {
  const vault = new Vault('a secret of at least thirty-two characters');

  it('opens what it sealed, never twice the same', () => {
    const [one, two] = [vault.seal('tide-table', 'x'), vault.seal('tide-table', 'x')];
    assert.notEqual(one, two);
    assert.ok(!one.includes('tide'));
    assert.equal(vault.open(one, 'x'), 'tide-table');
  });

  it('does not open for another purpose, another secret, or after a change', () => {
    const sealed = vault.seal('tide-table', 'x');
    assert.throws(() => vault.open(sealed, 'y'));
    assert.throws(() => new Vault('another secret of at least thirty-two').open(sealed, 'x'));
    const bytes = Buffer.from(sealed, 'base64');
    bytes[30]! ^= 1;
    assert.throws(() => vault.open(bytes.toString('base64'), 'x'));
  });
});

describe('passwords', () => {
  it('are kept as salted hashes and compared exactly', async () => {
    const [one, two] = await Promise.all([hashPassword('lantern'), hashPassword('lantern')]);
    assert.notEqual(one, two);
    assert.equal(await isPassword('lantern', one), true);
    assert.equal(await isPassword('Lantern', one), false);
    assert.equal(await isPassword('lantern', null), false);
  });

  it('mean the same however their accents were typed', async () => {
    assert.equal(await isPassword('Zoe\u0308', await hashPassword('Zo\u00eb')), true);
  });
});

describe('keys', () => {
  it('say what they are, differ, and are stored as fingerprints', () => {
    const [one, two] = [randomKey('ubs'), randomKey('ubs')];
    assert.match(one, /^ubs_[\w-]{43}$/);
    assert.notEqual(one, two);
    assert.equal(fingerprint(one), fingerprint(one));
    assert.equal(isSameSecret(one, one), true);
    assert.equal(isSameSecret(one, two), false);
    assert.equal(isSameSecret(one, ''), false);
  });
});

describe('readSettings', () => {
  const needed = {
    UNDERBELL_DATABASE_URL: 'postgres://a:b@127.0.0.1/x',
    UNDERBELL_SECRET: 'x'.repeat(32),
    UNDERBELL_WORK_DIR: '/tmp/spool',
  };

  it('fills in what may be left out', () => {
    const settings = readSettings({ ...needed, UNDERBELL_PORT: '7400' });
    assert.deepEqual(
      [settings.port, settings.role, settings.publicUrl, settings.timeZone],
      [7400, 'all', 'http://127.0.0.1:7400', 'UTC'],
    );
  });

  it('names every setting that is missing or wrong', () => {
    const wrong = {
      UNDERBELL_PORT: 'x',
      UNDERBELL_ROLE: 'boss',
      UNDERBELL_TIME_ZONE: 'Mars/Olympus',
      UNDERBELL_SECRET: 'short',
    };
    try {
      readSettings(wrong);
      assert.fail('nothing was refused');
    } catch (error) {
      assert.ok(isRefusal(error, 'SETTING_INVALID'));
      const names = (error as Refusal).details.problems!.map((one) => one.at).sort();
      assert.deepEqual(names, [
        'UNDERBELL_DATABASE_URL',
        'UNDERBELL_PORT',
        'UNDERBELL_ROLE',
        'UNDERBELL_SECRET',
        'UNDERBELL_TIME_ZONE',
        'UNDERBELL_WORK_DIR',
      ]);
    }
  });

  it('refuses names of earlier versions, and says what they are called now', () => {
    assert.throws(
      () => readSettings({ ...needed, UNDERBELL_REACHABLE: '127.0.0.1', UNDERBELL_UPLOADS_EACH: '3' }),
      (error) => {
        assert.ok(isRefusal(error, 'SETTING_INVALID'));
        assert.match(error.message, /UNDERBELL_REACHABLE is now called UNDERBELL_ALLOWED_PRIVATE_ADDRESSES\./);
        assert.match(error.message, /UNDERBELL_UPLOADS_EACH is now called UNDERBELL_MAX_PENDING_UPLOADS\./);
        return true;
      },
    );
  });
});
