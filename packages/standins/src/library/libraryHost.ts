import { timingSafeEqual } from 'node:crypto';
import { mkdirSync, readdirSync, statSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { join, relative } from 'node:path';
import FileSystemAdapter from '@nephele/adapter-file-system';
import express from 'express';
import createWebDav, { UnauthorizedError, type Authenticator } from 'nephele';
import { escapeHtml, page } from '../html.ts';

export interface LibraryHostOptions {
  /** 0 takes a free one. */
  readonly port: number;
  /** What is stored lies here. */
  readonly folder: string;
  readonly user: string;
  readonly password: string;
}

const accent = '#5b4a1f';
const sameText = (a: string, b: string) =>
  Buffer.byteLength(a) === Buffer.byteLength(b) && timingSafeEqual(Buffer.from(a), Buffer.from(b));

/** A small file library: WebDAV (RFC 4918) below `/files`, a page that lists what lies there, and a place that is always full. */
export class LibraryHost {
  readonly #options: LibraryHostOptions;
  readonly #server: Server;
  /** Answers a request itself: by a status, or by dropping the connection; undefined lets it through. */
  trouble: (request: IncomingMessage) => number | 'drop' | undefined = () => undefined;

  constructor(options: LibraryHostOptions) {
    this.#options = options;
    mkdirSync(options.folder, { recursive: true });
    const authenticator: Authenticator = {
      authenticate: async (request) => {
        const [, text = ''] = /^Basic (.+)$/.exec(request.headers.authorization ?? '') ?? [];
        const given = Buffer.from(text, 'base64').toString('utf8');
        if (!sameText(given, `${options.user}:${options.password}`)) throw new UnauthorizedError('Sign in first.');
        // Whoever is let in works as this process does.
        return { username: options.user, uid: process.getuid?.() ?? 0, gid: process.getgid?.() ?? 0, gids: [] };
      },
      cleanAuthentication: async () => undefined,
    };
    const app = express();
    app.use('/files', createWebDav({ adapter: new FileSystemAdapter({ root: options.folder }), authenticator }));
    app.get('/', (_, response) => void response.type('html').send(this.#page()));
    this.#server = createServer((request, response) => this.#answer(request, response, app));
  }

  #answer(request: IncomingMessage, response: ServerResponse, app: ReturnType<typeof express>): void {
    const trouble = request.url?.startsWith('/full') ? 507 : this.trouble(request);
    if (trouble === undefined) return app(request, response) as unknown as void;
    if (trouble === 'drop') {
      request.socket.destroy();
      return;
    }
    // What was sent is taken off the wire, so that the answer is heard.
    request.resume();
    request.on('end', () => response.writeHead(trouble).end());
  }

  /** Paths of the files, below the library's folder. */
  get files(): string[] {
    const { folder } = this.#options;
    const below = (path: string): string[] =>
      readdirSync(path, { withFileTypes: true }).flatMap((entry) => {
        if (entry.name.startsWith('.')) return [];
        const inner = join(path, entry.name);
        return entry.isDirectory() ? below(inner) : [relative(folder, inner)];
      });
    return below(folder).sort();
  }

  #page(): string {
    const { folder } = this.#options;
    const rows = this.files.map((path) => {
      const { size, mtime } = statSync(join(folder, path));
      const address = path.split('/').map(encodeURIComponent).join('/');
      return `<tr><td><a href="/files/${address}">${escapeHtml(path)}</a></td><td class="number">${size.toLocaleString('en-GB')} B</td><td class="quiet">${mtime.toISOString().slice(0, 16).replace('T', ' ')}</td></tr>`;
    });
    const list =
      rows.length === 0
        ? '<p class="quiet">No files.</p>'
        : `<table><tr><th>File</th><th class="number">Size</th><th>Stored (UTC)</th></tr>${rows.join('')}</table>`;
    return page(
      'WebDAV server',
      `<header><b>WebDAV server</b></header><main><p class="quiet">${rows.length} files. Opening a file needs the server’s username and password.</p>${list}</main>`,
      accent,
    );
  }

  /** @returns the port it listens on */
  start(): Promise<number> {
    return new Promise((resolve, reject) => {
      this.#server.once('error', reject);
      this.#server.listen(this.#options.port, '127.0.0.1', () =>
        resolve((this.#server.address() as { port: number }).port),
      );
    });
  }

  stop(): Promise<void> {
    this.#server.closeAllConnections();
    return new Promise((resolve) => this.#server.close(() => resolve()));
  }
}
