import { demoDirectory, joinWorks, worksCallers } from '@underbell/demo';
import { makeCompany } from '@underbell/demo/company';
import { Directory, WorksApp, type WorksSetup } from '../../../standins/src/index.ts';
import type { House, HouseOptions } from '../house.ts';
import { ownPorts } from '../ports.ts';

const secret = 'a-secret-of-programs-that-is-long-enough';

/** The ports of a directory and of a works app, and what a house has to be told of the directory. */
export async function worksPorts(): Promise<{ readonly port: number; readonly options: HouseOptions }> {
  const port = await ownPorts(2);
  const environment = {
    UNDERBELL_OIDC_ISSUER: `http://127.0.0.1:${port}`,
    UNDERBELL_OIDC_CLIENT_ID: 'underbell',
    UNDERBELL_OIDC_CLIENT_SECRET: secret,
  };
  return { port, options: { environment } };
}

/** The demo's works app with its directory, around a house that has the demo. */
export class WorksHouse {
  private constructor(
    readonly directory: Directory,
    readonly works: WorksApp,
    readonly setup: WorksSetup,
  ) {}

  static async open(house: House, port: number): Promise<WorksHouse> {
    const company = makeCompany();
    const worksPort = port + 1;
    const worksUrl = `http://127.0.0.1:${worksPort}`;
    const program = { id: 'works-app', secret, backTo: `${worksUrl}/sign-in/back` };
    const directory = new Directory({
      port,
      serviceUrl: house.url,
      clientId: 'underbell',
      clientSecret: secret,
      scimToken: house.app.settings.scimToken!,
      ...demoDirectory(company),
      programs: [program],
    });
    const issuer = await directory.start();
    const callers = await worksCallers(house.app, house.url);
    const given = (await joinWorks(callers, company, worksUrl)) as Omit<
      WorksSetup,
      'port' | 'underBellUrl' | 'directory'
    >;
    await callers.end();
    const setup = { ...given, port: worksPort, underBellUrl: house.url, directory: { issuer, id: program.id, secret } };
    const works = new WorksApp(setup);
    await works.start();
    return new WorksHouse(directory, works, setup);
  }

  get url(): string {
    return `http://127.0.0.1:${this.setup.port}`;
  }

  async close(): Promise<void> {
    await this.works.stop();
    await this.directory.stop();
  }
}
