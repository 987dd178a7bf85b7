import assert from 'node:assert/strict';
import { describe, it, mock } from 'node:test';
import { openWindow } from './window.ts';

const portal = 'https://portal.skerrow.example';
let framed = openWindow();
const { HostChannel } = await import('../src/host/hostChannel.ts');

describe('the talk with the page around', () => {
  it('asks the allowed origins for a token, and for no other ear', () => {
    const channel = new HostChannel([portal, 'https://intranet.skerrow.example']);
    framed.told.length = 0;
    mock.timers.enable({ apis: ['setTimeout'] });
    try {
      channel.ask(() => undefined);
      channel.tellHeight(640);
      assert.deepEqual(
        framed.told.map(({ message, origin }) => [message['underBell'], origin]),
        [
          ['ready-for-host', portal],
          ['ready-for-host', 'https://intranet.skerrow.example'],
          ['height', portal],
          ['height', 'https://intranet.skerrow.example'],
        ],
      );
      assert.ok(framed.told.every(({ origin }) => origin !== '*'));
    } finally {
      mock.timers.reset();
    }
  });

  it('takes a token from an allowed page around it, from no other page, and from no other window', () => {
    const states: unknown[] = [];
    mock.timers.enable({ apis: ['setTimeout'] });
    try {
      const channel = new HostChannel([portal]);
      channel.ask((state) => states.push(state));
      const token = { underBell: 'token', token: 'abc', expiresInSeconds: 100 };
      framed.hear(token, { origin: 'https://evil.example' });
      framed.hear(token, { origin: `${portal}.evil.example` });
      framed.hear(token, { origin: portal, source: {} });
      framed.hear({ underBell: 'something else' }, { origin: portal });
      assert.deepEqual(states, []);
      framed.hear(token, { origin: portal });
      assert.deepEqual(states, [{ token: 'abc', host: portal }]);
    } finally {
      mock.timers.reset();
    }
  });

  it('asks for the next token when four fifths of the last one are over', () => {
    mock.timers.enable({ apis: ['setTimeout'] });
    try {
      const channel = new HostChannel([portal]);
      const tokens: string[] = [];
      channel.ask((state) => tokens.push('token' in state ? state.token : 'none'));
      framed.hear({ underBell: 'token', token: 'one', expiresInSeconds: 100 }, { origin: portal });
      framed.told.length = 0;
      mock.timers.tick(79_999);
      assert.deepEqual(framed.told, []);
      mock.timers.tick(1);
      assert.deepEqual(
        framed.told.map(({ message }) => message['underBell']),
        ['token-request'],
      );
      framed.hear({ underBell: 'token', token: 'two', expiresInSeconds: 100 }, { origin: portal });
      assert.deepEqual(tokens, ['one', 'two'], 'no time-out fires after an answer');
    } finally {
      mock.timers.reset();
    }
  });

  it('goes on without a token when nobody answers, when there is none, and outside of any frame', () => {
    mock.timers.enable({ apis: ['setTimeout'] });
    try {
      const states: unknown[] = [];
      openWindow({ address: 'http://viewer.example/v/quays#host' });
      const patient: unknown[] = [];
      new HostChannel([portal]).ask((state) => patient.push(state));
      mock.timers.tick(3_999);
      assert.deepEqual(patient, [], 'the element answers for its host');
      mock.timers.tick(1);
      assert.deepEqual(patient, [{ none: true }]);
      framed = openWindow();
      new HostChannel([portal]).ask((state) => states.push(state));
      mock.timers.tick(150);
      assert.deepEqual(states, [{ none: true }], 'in a plain frame nobody waits');
      framed.hear({ underBell: 'no-token' }, { origin: portal });
      framed.hear({ underBell: 'token-error', message: 'sign in to the portal first' }, { origin: portal });
      assert.deepEqual(states.slice(1), [{ none: true }, { failure: 'sign in to the portal first' }]);
      const alone = openWindow({ isFramed: false });
      const own: unknown[] = [];
      const channel = new HostChannel([portal]);
      channel.ask((state) => own.push(state));
      channel.tellHeight(500);
      assert.deepEqual([own, alone.told, channel.isFramed], [[{ none: true }], [], false]);
    } finally {
      mock.timers.reset();
    }
  });

  it('lets the page around set colours and a font, and nothing that is neither', async () => {
    const { setHostTheme, useTheme } = await import('../src/theme/useTheme.ts');
    const { nextTick } = await import('vue');
    const { tokens, font } = useTheme();
    const usual = tokens.value.paper;
    const colours = { background: '#102030', figure: '#203040', text: '#ffffff', accents: [] };
    setHostTheme({ colours, font: 'Inter, "Noto Sans"' } as never);
    await nextTick();
    assert.notEqual(tokens.value.paper, usual);
    assert.ok(font.value.startsWith('Inter, "Noto Sans", '));
    setHostTheme({
      colours: { ...colours, text: 'red; } body { display: none' },
      font: 'x; } * { background: url(https://evil.example) }',
    } as never);
    await nextTick();
    assert.equal(tokens.value.paper, usual);
    assert.ok(!framed.sheet.textContent.includes('evil.example'));
    assert.ok(!framed.sheet.textContent.includes('display: none'));
  });
});
