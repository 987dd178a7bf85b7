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
    assert.match((await underbell('publisher', 'chat-server', 'list')).out, /No chat servers/);
    const add = [
      'chat-server',
      'connect',
      'skerrow',
      '--title',
      'Skerrow chat',
      '--homeserver',
      chat.url,
      '--server-name',
      chat.options.serverName,
    ];
    const more = [
      '--email-domain',
      'skerrow.example',
      '--guest-server',
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
      (await underbell('administrator', 'chat-server', 'show', 'skerrow')).out,
      /2 spaces, 3 channels, 0 placements[^]*skerrow\.example/,
    );
    assert.match(
      (await underbell('administrator', 'chat-server', 'sync-members', 'skerrow')).out,
      /in 5 spaces and channels; 0 added/,
    );
  });

  it('place, tell, move and take away a tab', async () => {
    const place = (channel: string) =>
      underbell(
        'publisher',
        'channel-placement',
        'save',
        'leads',
        '--chat-server',
        'skerrow',
        '--channel',
        channel,
        '--report',
        'quay-punctuality',
        '--title',
        'Quay punctuality',
        '--announce-on',
        'edition',
      );
    assert.match((await place('Quay leds')).errors, /Did you mean “Quay leads”/);
    assert.match((await place('Quay leads')).out, /“Quay punctuality” saved in channel “Quay leads”: 5 members/);
    assert.equal((await underbell('publisher', 'channel-placement', 'announce', 'leads', 'Here it is')).code, 0);
    await until(() =>
      [...chat.rooms.all.values()].some((room) =>
        room.events.some((one) => String(one.content['body']).startsWith('Here it is')),
      ),
    );
    assert.match(
      (await underbell('publisher', 'channel-placement', 'list')).out,
      /leads +Quay punctuality +Operations \/ Quay leads +report quay-punctuality +5 +placed/,
    );
    assert.equal((await place('Districts')).code, 0);
    assert.match(
      (await underbell('publisher', 'channel-placement', 'show', 'leads')).out,
      /in Districts shows the report quay-punctuality[^]*announcements: edition/,
    );
    assert.match(
      (await underbell('publisher', 'access', 'list', '--kind', 'placement')).out,
      /leads +members of its channel/,
    );
    assert.equal((await underbell('publisher', 'channel-placement', 'delete', 'leads')).code, 0);
    assert.equal((await underbell('publisher', 'channel-placement', 'show', 'leads')).code, 4);
    assert.equal((await underbell('administrator', 'chat-server', 'disconnect', 'skerrow')).code, 0);
  });
});
