import assert from 'node:assert/strict';
import { after, before, describe, it } from 'node:test';
import * as plainWords from '../../src/platform/migrations/041-plain-words.ts';
import { takeCommands } from '../../src/screen/commands.ts';
import { owner } from '../smallHouse.ts';
import { ScreenHouse } from './screenHouse.ts';

describe('screens that play during an upgrade', () => {
  let screens: ScreenHouse;
  before(async () => (screens = await ScreenHouse.open()));
  after(() => screens.close());

  it('are told to load the new player, those that are unpaired are not', async () => {
    const { house } = screens.small;
    await screens.pair('playing');
    await screens.pair('gone');
    const unpaired = await house.call('POST', '/api/v1/screens/gone/unpair', { as: owner });
    assert.ok(unpaired.status < 300, unpaired.text);
    await house.app.records.query(plainWords.up);
    assert.deepEqual(await takeCommands(house.app, 'playing'), ['reload']);
    assert.deepEqual(await takeCommands(house.app, 'gone'), []);
  });
});
