import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import Koa from 'koa';
import { ChatState } from './chatState.ts';
import { clientApi } from './clientApi.ts';
import { pages } from './pages.ts';

/**
 * A small server of a team chat: the client-server API as far as clients and application services need it, its pushes to
 * application services, and a page with teams, channels, posts, members and tabs.
 *
 * @see Matrix specification
 */
export class ChatHost extends ChatState {
  #server: Server | undefined;

  async start(): Promise<string> {
    const koa = new Koa();
    koa.use(clientApi(this));
    koa.use(await pages(this));
    const server = createServer(koa.callback());
    this.#server = server;
    await new Promise<void>((resolve, reject) =>
      server.once('error', reject).listen(this.options.port, '127.0.0.1', resolve),
    );
    return this.url;
  }
  get url(): string {
    return `http://127.0.0.1:${(this.#server!.address() as AddressInfo).port}`;
  }
  async stop(): Promise<void> {
    this.close();
    this.#server?.closeAllConnections();
    await new Promise((resolve) => this.#server?.close(resolve) ?? resolve(undefined));
  }
}
