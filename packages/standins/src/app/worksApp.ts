import { createServer, type Server } from 'node:http';
import Router from '@koa/router';
import Koa, { type Context } from 'koa';
import { ownCharts } from './charts.ts';
import { administerPage, chartPage, framePage, kindsPage, pagesPage, quayForm, quayList, signInPage } from './pages.ts';
import type { WorksQuay, WorksSetup } from './setup.ts';
import { SignIn, type Session } from './signIn.ts';
import { askForToken } from './tokens.ts';

type Asked = Context & { params: Record<string, string> };

/** A small app of quays and works for two companies, whose people sign in with the common directory. */
export class WorksApp {
  readonly #setup: WorksSetup;
  readonly #signIn: SignIn;
  #server: Server | undefined;

  constructor(setup: WorksSetup) {
    this.#setup = setup;
    this.#signIn = new SignIn(setup);
  }

  async start(): Promise<void> {
    const koa = new Koa();
    const router = new Router();
    this.#signIn.routes(router);
    this.#routes(router);
    koa.use(router.routes());
    this.#server = createServer(koa.callback());
    await new Promise<void>((resolve, reject) => {
      this.#server!.once('error', reject).listen(this.#setup.port, '127.0.0.1', resolve);
    });
  }

  async stop(): Promise<void> {
    this.#server?.closeAllConnections();
    await new Promise((resolve) => this.#server?.close(resolve) ?? resolve(undefined));
  }

  /** The quays that somebody works on. */
  #quaysOf({ company }: Session): readonly WorksQuay[] {
    return this.#setup.quays.filter((one) => one.companies.includes(company));
  }

  #routes(router: Router): void {
    const setup = this.#setup;
    const forPeople = (path: string, show: (session: Session, ctx: Asked) => string | undefined) =>
      router.get(path, (ctx: Asked) => {
        const session = this.#signIn.of(ctx);
        if (!session) {
          if (path === '/') ctx.body = signInPage();
          else ctx.redirect(`/sign-in?to=${encodeURIComponent(ctx.url)}`);
          return;
        }
        const html = show(session, ctx);
        if (html !== undefined) ctx.body = html;
      });
    const quayIn = (session: Session, ctx: Asked) => this.#quaysOf(session).find((one) => one.id === ctx.params['id']);
    forPeople('/', (session) => quayList(setup, session, this.#quaysOf(session)));
    forPeople('/quays/new', (session) => quayForm(setup, session, this.#quaysOf(session)));
    forPeople('/quays/:id', (session, ctx) => {
      const quay = quayIn(session, ctx);
      return quay && quayForm(setup, session, this.#quaysOf(session), quay);
    });
    forPeople('/plain/:id', (session, ctx) => {
      const quay = quayIn(session, ctx);
      return quay && framePage(setup, session, quay);
    });
    forPeople('/kinds', (session) => kindsPage(setup, session, this.#quaysOf(session)));
    forPeople('/pages', (session) => pagesPage(setup, session));
    forPeople('/administer', (session) => (session.isAdministrator ? administerPage(setup, session) : undefined));
    router.get('/charts/:name', (ctx: Asked) => {
      const chart = ownCharts.find((one) => one.name === ctx.params['name']);
      if (chart) ctx.body = chartPage(chart.name, setup.quays);
    });
    router.get('/report-token', (ctx: Asked) => this.#giveToken(ctx));
  }

  /** Hands the element a token for one record, which has to be one that whoever is signed in works on. */
  async #giveToken(ctx: Asked): Promise<void> {
    ctx.set('Cache-Control', 'no-store');
    const session = this.#signIn.of(ctx);
    const { placement, quay } = ctx.query;
    const known = [this.#setup.record, ...this.#setup.figures.map((one) => one.placement)];
    if (!session || !known.includes(String(placement))) return void (ctx.status = session ? 404 : 401);
    const isOwn = this.#quaysOf(session).some((one) => one.id === quay);
    if (quay !== undefined && quay !== '' && !isOwn) return void (ctx.status = 403);
    const record: Record<string, string> = quay === undefined ? {} : { quay: String(quay) };
    const { status, body } = await askForToken(this.#setup, session, { placement: String(placement), record });
    ctx.status = status;
    ctx.type = 'json';
    ctx.body = body;
  }
}
