import assert from 'node:assert/strict';
import { join } from 'node:path';
import { after, before, describe, it } from 'node:test';
import { demoChat } from '@underbell/demo';
import { makeCompany } from '@underbell/demo/company';
import { ChatHost, furnish, type Registration } from '../../standins/src/index.ts';
import { administrator, House, until } from '../../service/test/house.ts';
import { runUnderbell, type Said } from './underbell.ts';

describe('underbell chat, channel and tab', () => {
  let house: House;
  let chat: ChatHost;
  before(async () => {
    house = await House.open({ hasDemo: true });
    const { serverName, users } = demoChat(makeCompany());
    chat = new ChatHost({ port: 0, serverName, users, password: 'chat' });
    await chat.start();
  });
  after(async () => {
    await house.close();
    await chat.stop();
  });

  function underbell(as: 'publisher' | 'administrator', ...args: string[]): Promise<Said> {
    const file = as === 'publisher' ? 'cli.json' : 'administrator.json';
    return runUnderbell(args, {
      UNDERBELL_CREDENTIALS: join(house.folder, file),
      UNDERBELL_PASSWORD: 'lantern-quay-7',
    });
  }

  it('take part in a chat, as its administrator, and print what its server installs', async () => {
    assert.match((await underbell('publisher', 'chat', 'list')).out, /part of no chat/);
    const add = [
      'chat',
      'add',
      'skerrow',
      '--title',
      'Skerrow chat',
      '--server',
      chat.url,
      '--server-name',
      chat.options.serverName,
    ];
    const more = [
      '--addresses',
      'skerrow.example',
      '--guests',
      `harbourboard.example=${chat.url}`,
      '--origin',
      chat.url,
    ];
    assert.equal((await underbell('publisher', ...add, ...more)).code, 3);
    assert.equal((await underbell('administrator', 'sign-in', administrator, '--url', house.url)).code, 0);
    const added = await underbell('administrator', ...add, ...more);
    assert.equal(added.code, 0, added.errors);
    chat.register(JSON.parse(added.out) as Registration);
    furnish(chat, demoChat(makeCompany()).teams);
    await until(async () => (await underbell('publisher', 'channel', 'list')).out.includes('Districts'));
    await until(async () => /Quay leads +5/.test((await underbell('publisher', 'channel', 'list')).out));
    assert.match(
      (await underbell('administrator', 'chat', 'show', 'skerrow')).out,
      /2 teams, 3 channels, 0 tabs[^]*skerrow\.example/,
    );
    assert.match(
      (await underbell('administrator', 'chat', 'compare', 'skerrow')).out,
      /in 5 teams and channels; 0 were missing/,
    );
  });

  it('place, tell, move and take away a tab', async () => {
    const place = (channel: string) =>
      underbell(
        'publisher',
        'tab',
        'place',
        'leads',
        '--chat',
        'skerrow',
        '--channel',
        channel,
        '--report',
        'quay-punctuality',
        '--title',
        'Quay punctuality',
        '--news',
        'edition',
      );
    assert.match((await place('Quay leds')).errors, /did you mean `Quay leads`/);
    assert.match(
      (await place('Quay leads')).out,
      /“Quay punctuality” is (in|on its way to) Quay leads: 5 members see it/,
    );
    assert.equal((await underbell('publisher', 'tab', 'tell', 'leads', 'Here it is')).code, 0);
    await until(() =>
      [...chat.rooms.all.values()].some((room) =>
        room.events.some((one) => String(one.content['body']).startsWith('Here it is')),
      ),
    );
    assert.match(
      (await underbell('publisher', 'tab', 'list')).out,
      /leads +Quay punctuality +Operations \/ Quay leads +report quay-punctuality +5 +placed/,
    );
    assert.equal((await place('Districts')).code, 0);
    assert.match(
      (await underbell('publisher', 'tab', 'show', 'leads')).out,
      /in Districts shows the report quay-punctuality[^]*tells of: edition/,
    );
    assert.match(
      (await underbell('publisher', 'open', 'list', '--kind', 'placement')).out,
      /leads +members of its channel/,
    );
    assert.equal((await underbell('publisher', 'tab', 'remove', 'leads')).code, 0);
    assert.equal((await underbell('publisher', 'tab', 'show', 'leads')).code, 4);
    assert.equal((await underbell('administrator', 'chat', 'end', 'skerrow')).code, 0);
  });
});
