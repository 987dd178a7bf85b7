import { escapeHtml } from '../html.ts';
import { drawChart, ownCharts, type OwnChart } from './charts.ts';
import type { WorksQuay, WorksSetup } from './setup.ts';
import type { Session } from './signIn.ts';

const style = `
  * { box-sizing: border-box; } body { font: 15px/1.45 'Source Sans 3', system-ui, sans-serif; margin: 0; color: #1d2733; background: #eef1f5; }
  header { background: #26405f; color: #fff; display: flex; flex-wrap: wrap; gap: .3rem 1.4rem; padding: .7rem 1.4rem; align-items: baseline; } header b { font-size: 1.1rem; } header a { color: #fff; } header span { margin-left: auto; }
  main { padding: 1rem 1.4rem; max-width: 90rem; margin: 0 auto; } h1 { font-size: 1.3rem; margin: 0 0 .6rem; } h2 { font-size: 1.05rem; margin: 1rem 0 .4rem; } .quiet { color: #54616f; }
  table { border-collapse: collapse; width: 100%; background: #fff; } th, td { text-align: left; padding: .35rem .7rem; border-bottom: 1px solid #dbe1e8; } th { font-weight: 600; color: #54616f; }
  .cols { display: grid; grid-template-columns: minmax(0, 1fr) 20rem; gap: 1.2rem; align-items: start; } .cols aside { background: #fff; border: 1px solid #dbe1e8; border-radius: 5px; overflow: hidden; } .cols aside iframe { width: 100%; height: 46rem; border: 0; display: block; }
  form.record { background: #fff; border: 1px solid #dbe1e8; border-radius: 5px; padding: .8rem 1rem; display: grid; grid-template-columns: repeat(auto-fill, minmax(11rem, 1fr)); gap: .6rem 1rem; margin-bottom: 1rem; } form.record label { display: grid; font-weight: 600; } input, select { font: inherit; font-weight: 400; padding: .3rem .5rem; border: 1px solid #8b98a7; border-radius: 3px; background: #fff; min-width: 0; }
  .two { display: grid; grid-template-columns: repeat(auto-fit, minmax(24rem, 1fr)); gap: 1rem; align-items: start; } .two section, .own { background: #fff; border: 1px solid #dbe1e8; border-radius: 5px; padding: .6rem .9rem; } nav.records { display: flex; gap: .5rem; align-items: center; margin-bottom: .8rem; } button, .button { font: inherit; border: 1px solid #26405f; background: #fff; color: #26405f; border-radius: 4px; padding: .25rem .8rem; text-decoration: none; }
  a { color: #26405f; } iframe.whole { width: 100%; height: 46rem; border: 1px solid #dbe1e8; border-radius: 5px; background: #fff; } @media (max-width: 900px) { .cols { grid-template-columns: minmax(0, 1fr); } }
`;

const bare = (title: string, body: string) =>
  `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${escapeHtml(title)}</title><style>${style}</style></head><body>${body}</body></html>`;

/** A value for a script: nothing in it ends the script. */
const inScript = (value: unknown) => JSON.stringify(value).replaceAll('<', '\\u003c');

function page(setup: WorksSetup, session: Session, title: string, body: string): string {
  const company = setup.companies.find((one) => one.id === session.company)!;
  const links = [
    ['/', 'Quays'],
    ['/kinds', 'Kinds of works'],
    ['/pages', 'Pages'],
    ...(session.isAdministrator ? [['/administer', 'Administer']] : []),
  ].map(([to, words]) => `<a href="${to}">${words}</a>`);
  const head = `<header><b>Harbour works</b>${links.join('')}<span>${escapeHtml(session.name)}, ${escapeHtml(company.title)} · <a href="/sign-out">Sign out</a></span></header>`;
  return bare(title, `${head}<main>${body}</main>`);
}

export const signInPage = () =>
  bare(
    'Harbour works',
    '<header><b>Harbour works</b></header><main><h1>Works on quays and berths</h1><p>For users of the ferry company and the harbour trust.</p><p><a class="button" href="/sign-in">Sign in with single sign-on</a></p></main>',
  );

const ownBox = (name: OwnChart, quays: readonly WorksQuay[]) =>
  `<section class="own"><h2>${escapeHtml(ownCharts.find((one) => one.name === name)!.title)}</h2>${drawChart(name, quays)}</section>`;

export function quayList(setup: WorksSetup, session: Session, quays: readonly WorksQuay[]): string {
  const rows = quays.map(
    (quay) =>
      `<tr><td>${quay.id}</td><td><a href="/quays/${quay.id}">${escapeHtml(quay.name)}</a></td><td>${escapeHtml(quay.district)}</td><td>${quay.berths}</td><td>${quay.isClosed ? 'closed for the winter' : ''}</td></tr>`,
  );
  const list = `<table><thead><tr><th>Number</th><th>Quay</th><th>District</th><th>Berths</th><th></th></tr></thead><tbody>${rows.join('')}</tbody></table>`;
  const side = `<div>${ownBox('berths', quays)}</div>`;
  return page(
    setup,
    session,
    'Quays',
    `<nav class="records"><h1>Quays</h1><a class="button" href="/quays/new">New quay</a></nav><div class="cols">${list}${side}</div>`,
  );
}

/** The form of one quay, with its report below and the person's own side panel beside; a new one has no number yet. */
export function quayForm(setup: WorksSetup, session: Session, quays: readonly WorksQuay[], quay?: WorksQuay): string {
  const { underBellUrl, record, app } = setup;
  const value = (text: string) => `value="${escapeHtml(text)}"`;
  const numbered = { quay: quay?.id ?? '' };
  const words = new URLSearchParams([
    ['record', `quay:${numbered.quay}`],
    ['record', `company:${session.company}`],
  ]);
  const form = `<form class="record" aria-label="Quay">
    <label>Quay <select id="quay">${quay ? '' : '<option value="">new</option>'}${quays.map((one) => `<option value="${one.id}"${one === quay ? ' selected' : ''}>${one.id} ${escapeHtml(one.name)}</option>`).join('')}</select></label>
    <label>Name <input id="name" ${value(quay?.name ?? '')}></label><label>District <input id="district" ${value(quay?.district ?? '')}></label><label>Berths <input id="berths" ${value(String(quay?.berths ?? ''))}></label>
    </form>`;
  const report = `<script type="module" src="${underBellUrl}/element.js"></script>
    <under-bell src="${underBellUrl}/v/${record}" token-url="/report-token?placement=${record}" title="Report of the quay" record="${escapeHtml(JSON.stringify(numbered))}"></under-bell>`;
  const panel = `<aside aria-label="Side panel"><iframe id="panel" src="${underBellUrl}/a/${app}/panel?${escapeHtml(String(words))}" title="Your reports" allow="clipboard-write; fullscreen"></iframe></aside>`;
  // Another record is another property: neither frame is loaded anew.
  const script = `<script type="module">
    const quays = ${inScript(Object.fromEntries(quays.map((one) => [one.id, one])))};
    const [element, panel] = [document.querySelector('under-bell'), document.getElementById('panel')];
    document.getElementById('quay').addEventListener('change', ({ target }) => {
      const quay = quays[target.value];
      for (const name of ['name', 'district', 'berths']) document.getElementById(name).value = quay?.[name] ?? '';
      element.record = { quay: target.value };
      panel.contentWindow.postMessage({ underBell: 'record', record: { quay: target.value, company: ${inScript(session.company)} } }, ${inScript(new URL(underBellUrl).origin)});
      document.querySelector('h1').textContent = quay ? quay.name + ' ' + quay.id : 'New quay';
      history.replaceState(null, '', '/quays/' + (target.value || 'new'));
    });
    const told = document.getElementById('told');
    element.addEventListener('selection', ({ detail }) => (told.textContent = detail.figure + ': ' + (detail.values ?? []).join(', ')));
  </script>`;
  return page(
    setup,
    session,
    quay?.name ?? 'New quay',
    `<h1>${quay ? `${escapeHtml(quay.name)} <span class="quiet">${quay.id}</span>` : 'New quay'}</h1><div class="cols"><div>${form}${report}<p class="quiet" role="status">Selected in the report: <span id="told">nothing</span></p></div>${panel}</div>${script}`,
  );
}

/** One drop-down that several figures follow, beside a chart of the app's own. */
export function kindsPage(setup: WorksSetup, session: Session, quays: readonly WorksQuay[]): string {
  const { underBellUrl, figures, kinds } = setup;
  const options = ['', ...kinds].map(
    (kind) => `<option value="${escapeHtml(kind)}">${escapeHtml(kind || 'all kinds')}</option>`,
  );
  const boxes = figures.map(
    ({ placement, title }) =>
      `<under-bell src="${underBellUrl}/v/${placement}" token-url="/report-token?placement=${placement}" title="${escapeHtml(title)}"></under-bell>`,
  );
  const script = `<script type="module" src="${underBellUrl}/element.js"></script><script type="module">
    document.getElementById('kind').addEventListener('change', ({ target }) => {
      const filter = target.value === '' ? null : "kind = '" + target.value.replaceAll("'", "''") + "'";
      for (const element of document.querySelectorAll('under-bell')) element.filter = filter;
    });
  </script>`;
  return page(
    setup,
    session,
    'Kinds of works',
    `<nav class="records"><h1>Kinds of works</h1><label>Kind <select id="kind">${options.join('')}</select></label></nav><div class="two">${boxes.join('')}${ownBox('berths', quays)}</div>${script}`,
  );
}

/** Pages of figures and own charts, as people of the app made and shared them. */
export const pagesPage = (setup: WorksSetup, session: Session) =>
  page(
    setup,
    session,
    'Pages',
    `<iframe class="whole" src="${setup.underBellUrl}/a/${setup.app}/pages" title="Pages" allow="clipboard-write; fullscreen"></iframe>`,
  );

/**
 * A frame and nothing else: the directory knows the browser, so nobody signs in twice. What their company chose they do not
 * see: an address proves nothing, only the app's own server says who is of which.
 */
export const framePage = (setup: WorksSetup, session: Session, quay: WorksQuay) =>
  page(
    setup,
    session,
    quay.name,
    `<h1>${escapeHtml(quay.name)}</h1><iframe class="whole" src="${setup.underBellUrl}/v/${setup.record}?record=quay:${quay.id}" title="Report of the quay" allow="clipboard-write; fullscreen"></iframe>`,
  );

export function administerPage(setup: WorksSetup, session: Session): string {
  const people = setup.people.map(
    (one) =>
      `<tr><td>${escapeHtml(one.email)}</td><td>${escapeHtml(setup.companies.find((company) => company.id === one.company)!.title)}</td><td>${one.isAdministrator ? 'administers' : ''}</td></tr>`,
  );
  return page(
    setup,
    session,
    'Administer',
    `<h1>Companies of users</h1><table><tbody>${people.join('')}</tbody></table><p>Everybody else is of ${escapeHtml(setup.companies[0]!.title)}. What each company has beside its quays is chosen in <a href="${setup.underBellUrl}/console/apps/${setup.app}" target="_blank" rel="noopener">Under Bell</a>.</p>`,
  );
}

/** A chart by itself, for pages that show it in a frame. */
export const chartPage = (name: OwnChart, quays: readonly WorksQuay[]) =>
  bare(
    ownCharts.find((one) => one.name === name)!.title,
    `<style>body { background: #fff; padding: .4rem; }</style>${drawChart(name, quays)}`,
  );
