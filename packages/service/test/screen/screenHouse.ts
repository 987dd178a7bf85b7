import assert from 'node:assert/strict';
import * as oauth from 'openid-client';
import type { HeartbeatResponse, ScreenProgram } from '@underbell/core/screen';
import type { ViewResponse } from '@underbell/core/view';
import type { Answer, HouseOptions } from '../house.ts';
import { owner, root, SmallHouse } from '../smallHouse.ts';

/** A device on a wall, run by an OAuth client that knows nothing of this service but its metadata. */
export class Device {
  tokens: oauth.TokenEndpointResponse | undefined;
  private constructor(
    readonly config: oauth.Configuration,
    readonly dpop: oauth.DPoPHandle,
    readonly url: string,
    private readonly keys: oauth.CryptoKeyPair,
  ) {}

  static async start(url: string): Promise<Device> {
    const execute = [oauth.allowInsecureRequests];
    const config = await oauth.discovery(new URL(url), 'screen', undefined, oauth.None(), {
      algorithm: 'oauth2',
      execute,
    });
    const keys = await oauth.randomDPoPKeyPair('ES256');
    return new Device(config, oauth.getDPoPHandle(config, keys), url, keys);
  }

  /** Asks for a code. */
  ask(): Promise<oauth.DeviceAuthorizationResponse> {
    return oauth.initiateDeviceAuthorization(this.config, { browser: 'Test 1.0', width: '1920', height: '1080' });
  }

  /** Asks once whether somebody has typed the code. */
  poll(asked: oauth.DeviceAuthorizationResponse): Promise<oauth.TokenEndpointResponse> {
    const grant = 'urn:ietf:params:oauth:grant-type:device_code';
    const form = { device_code: asked.device_code };
    return oauth.genericGrantRequest(this.config, grant, form, { DPoP: this.dpop });
  }

  /** Takes its key, once somebody has taken it in. */
  async take(asked: oauth.DeviceAuthorizationResponse): Promise<void> {
    // It would wait for the whole interval first.
    const now = { ...asked, interval: 0 };
    this.tokens = await oauth.pollDeviceAuthorizationGrant(this.config, now, undefined, { DPoP: this.dpop });
  }

  async renew(): Promise<void> {
    const { refresh_token } = this.tokens!;
    this.tokens = await oauth.refreshTokenGrant(this.config, refresh_token!, undefined, { DPoP: this.dpop });
  }

  /** Another machine with everything that this one keeps. */
  copy(): Device {
    const made = new Device(this.config, oauth.getDPoPHandle(this.config, this.keys), this.url, this.keys);
    made.tokens = this.tokens;
    return made;
  }

  async request(method: string, path: string, body?: object): Promise<Response> {
    const headers = new Headers(body ? { 'Content-Type': 'application/json' } : {});
    const text = body ? JSON.stringify(body) : undefined;
    const url = new URL(path, this.url);
    const { access_token } = this.tokens!;
    try {
      return await oauth.fetchProtectedResource(this.config, access_token, url, method, text, headers, {
        DPoP: this.dpop,
      });
    } catch (error) {
      // It throws where it is told to prove itself otherwise.
      if (error instanceof oauth.WWWAuthenticateChallengeError) return error.response;
      throw error;
    }
  }

  async call(method: string, path: string, body?: object): Promise<{ status: number; body: { code?: string } }> {
    const response = await this.request(method, path, body);
    const text = await response.text();
    return { status: response.status, body: text.startsWith('{') ? (JSON.parse(text) as object) : {} };
  }

  private async fine<T>(method: string, path: string, body?: object): Promise<T> {
    const answer = await this.call(method, path, body);
    assert.equal(answer.status, 200, JSON.stringify(answer.body));
    return answer.body as T;
  }

  program = () => this.fine<ScreenProgram>('GET', '/api/v1/screen/schedule');
  beat = (shown: object = {}) => this.fine<HeartbeatResponse>('POST', '/api/v1/screen/heartbeat', shown);
  slot = (id: string) =>
    this.call('GET', `/api/v1/screen/slots/${id}`) as Promise<{
      status: number;
      body: ViewResponse & { code?: string };
    }>;
}

export const workSlot = (change: object = {}) => ({
  name: 'works',
  shows: { report: 'works', page: 'all' },
  where: { works: "quay = screen('quay')" },
  seconds: 20,
  ...change,
});

export const playlist = (change: object = {}) => ({
  format: 'underbell-playlist/1',
  name: 'quays',
  title: 'Quays',
  slots: [workSlot(), { name: 'hello', shows: { text: 'Welcome to quay {quay}' }, seconds: 10 }],
  ...change,
});

/** A house with a group of screens that may view a report cut to their quay. */
export class ScreenHouse {
  private constructor(readonly small: SmallHouse) {}

  static async open(options: HouseOptions = {}): Promise<ScreenHouse> {
    const small = await SmallHouse.open(options);
    const attributes = [
      { name: 'quay', label: 'Quay', type: 'text' },
      { name: 'least', label: 'Least cost', type: 'number' },
    ];
    await small.fine('PUT', '/api/v1/screen-attributes', { attributes }, root);
    for (const kind of ['screen-group', 'playlist', 'screen', 'media'] as const) {
      const grant = { holder: { kind: 'person', name: owner }, thing: { kind, name: '*' }, level: 'own' };
      await small.fine('PUT', '/api/v1/permissions', grant, root);
    }
    await small.fine('PUT', '/api/v1/screen-groups/quays', { title: 'On the quays' }, owner);
    return new ScreenHouse(small);
  }

  get url(): string {
    return this.small.house.url;
  }

  call(method: string, path: string, as: string, body?: unknown): Promise<Answer> {
    return this.small.house.call(method, path, { as, ...(body === undefined ? {} : { body }) });
  }

  screenBody = (name: string, attributes: object = { quay: 'Q1' }, group = 'quays') => ({
    name,
    title: `Screen ${name}`,
    group,
    attributes,
    timeZone: 'Europe/Berlin',
    language: 'en',
  });

  type(code: string, body: object, as = owner): Promise<Answer> {
    return this.call('POST', `/api/v1/pairing-codes/${code}`, as, body);
  }

  /** A device that was taken in and has its key. */
  async pair(name: string, attributes: object = { quay: 'Q1' }, group = 'quays'): Promise<Device> {
    const device = await Device.start(this.url);
    const asked = await device.ask();
    const made = await this.type(asked.user_code, this.screenBody(name, attributes, group));
    assert.equal(made.status, 201, made.text);
    await device.take(asked);
    return device;
  }

  save(definition: object, as = owner): Promise<Answer> {
    return this.call('PUT', '/api/v1/playlists', as, { definition });
  }

  publish(name = 'quays', wish: object = {}, as = owner): Promise<Answer> {
    const targets = [{ kind: 'screen-group', name: 'quays' }];
    return this.call('POST', `/api/v1/playlists/${name}/publish`, as, { targets, give: true, ...wish });
  }

  close(): Promise<void> {
    return this.small.close();
  }
}
