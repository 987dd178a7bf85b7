import * as oauth from 'openid-client';

/** What a device keeps over a restart. Its key is a file here, where a browser would keep it to itself. */
export interface KeptDevice {
  readonly name: string;
  readonly publicKey: JsonWebKey;
  readonly privateKey: JsonWebKey;
  readonly refreshToken: string;
}

interface Told {
  readonly tag: string;
  readonly stretches: readonly {
    readonly from: number;
    readonly until: number;
    readonly playlist?: string;
    readonly revision?: number;
    readonly slots: readonly { readonly name: string; readonly as: { readonly id: string; readonly kind: string } }[];
  }[];
}

const curve = { name: 'ECDSA', namedCurve: 'P-256' } as const;

/** A screen without a wall: it has a key, asks what it should show, and says that it shows it. */
export class ScreenDevice {
  readonly name: string;
  readonly #config: oauth.Configuration;
  readonly #keys: CryptoKeyPair;
  readonly #dpop: oauth.DPoPHandle;
  readonly #url: string;
  #refreshToken = '';
  #accessToken = '';
  #renewAt = 0;
  #told: Told | undefined;
  #asOf: number | null = null;
  #turn = 0;

  private constructor(name: string, url: string, config: oauth.Configuration, keys: CryptoKeyPair) {
    this.name = name;
    this.#url = url;
    this.#config = config;
    this.#keys = keys;
    this.#dpop = oauth.getDPoPHandle(config, keys);
  }

  static #find(url: string): Promise<oauth.Configuration> {
    const execute = [oauth.allowInsecureRequests];
    return oauth.discovery(new URL(url), 'screen', undefined, oauth.None(), { algorithm: 'oauth2', execute });
  }

  /**
   * A device that asks to be taken in.
   *
   * @param typed - called with the code that it shows
   * @see RFC 8628
   */
  static async pair(name: string, url: string, typed: (code: string) => Promise<void>): Promise<ScreenDevice> {
    const keys = await crypto.subtle.generateKey(curve, true, ['sign', 'verify']);
    const device = new ScreenDevice(name, url, await ScreenDevice.#find(url), keys);
    const form = { browser: 'Stand-in 1', width: '1920', height: '1080' };
    const asked = await oauth.initiateDeviceAuthorization(device.#config, form);
    await typed(asked.user_code);
    // Whoever types it is quicker than it asks.
    const soon = { ...asked, interval: 0 };
    device.#hold(await oauth.pollDeviceAuthorizationGrant(device.#config, soon, undefined, { DPoP: device.#dpop }));
    return device;
  }

  static async restore(kept: KeptDevice, url: string): Promise<ScreenDevice> {
    const [publicKey, privateKey] = await Promise.all([
      crypto.subtle.importKey('jwk', kept.publicKey, curve, true, ['verify']),
      crypto.subtle.importKey('jwk', kept.privateKey, curve, true, ['sign']),
    ]);
    const device = new ScreenDevice(kept.name, url, await ScreenDevice.#find(url), { publicKey, privateKey });
    device.#refreshToken = kept.refreshToken;
    return device;
  }

  async keep(): Promise<KeptDevice> {
    const { publicKey, privateKey } = this.#keys;
    const [open, secret] = await Promise.all([publicKey, privateKey].map((one) => crypto.subtle.exportKey('jwk', one)));
    return { name: this.name, publicKey: open!, privateKey: secret!, refreshToken: this.#refreshToken };
  }

  #hold({ access_token, refresh_token, expires_in = 60 }: oauth.TokenEndpointResponse): void {
    this.#accessToken = access_token;
    this.#refreshToken = refresh_token!;
    this.#renewAt = Date.now() + (expires_in - 60) * 1000;
  }

  /** Renews its key where its time is up. @returns whether there is something new to keep */
  async renew(): Promise<boolean> {
    if (Date.now() < this.#renewAt) return false;
    this.#hold(await oauth.refreshTokenGrant(this.#config, this.#refreshToken, undefined, { DPoP: this.#dpop }));
    return true;
  }

  async #ask<T>(method: string, path: string, body?: object): Promise<T> {
    const headers = new Headers(body ? { 'Content-Type': 'application/json' } : {});
    const url = new URL(path, this.#url);
    const text = body ? JSON.stringify(body) : undefined;
    const answer = await oauth.fetchProtectedResource(this.#config, this.#accessToken, url, method, text, headers, {
      DPoP: this.#dpop,
    });
    if (!answer.ok) throw new Error(`${path}: ${answer.status} ${await answer.text()}`);
    return (await answer.json()) as T;
  }

  /** Says that it lives and what it shows; asks anew what that should be, when it hears that it is another. */
  async beat(): Promise<void> {
    if (!this.#told) await this.#load();
    const now = Date.now();
    const stretch = this.#told!.stretches.find((one) => one.from <= now && now < one.until);
    const slot = stretch?.slots[this.#turn++ % stretch.slots.length];
    const { tag } = await this.#ask<{ tag: string }>('POST', '/api/v1/screen/heartbeat', {
      ...(slot ? { slot: slot.name } : {}),
      ...(stretch?.playlist ? { playlist: stretch.playlist, revision: stretch.revision } : {}),
      has: Object.fromEntries(
        this.#told!.stretches.flatMap((one) => (one.playlist ? [[one.playlist, one.revision]] : [])),
      ),
      asOf: this.#asOf,
      clockErrorMs: 0,
      browser: 'Stand-in 1',
      width: 1920,
      height: 1080,
      errors: 0,
    });
    if (tag !== this.#told!.tag) await this.#load();
  }

  async #load(): Promise<void> {
    this.#told = await this.#ask<Told>('GET', '/api/v1/screen/schedule');
    const page = this.#told.stretches.flatMap((one) => one.slots).find((one) => one.as.kind === 'page');
    if (!page) return;
    const path = `/api/v1/screen/slots/${encodeURIComponent(page.as.id)}`;
    const { datasets } = await this.#ask<{ datasets: { loadedAt: string }[] }>('GET', path);
    this.#asOf = Math.min(...datasets.map((one) => Date.parse(one.loadedAt)));
  }
}
