// Runs in the chat's page: shows a tab, and tells it who is looking where the chat allows that.
import {
  ClientWidgetApi,
  OpenIDRequestState,
  Widget,
  WidgetDriver,
  type Capability,
  type IOpenIDCredentials,
  type IOpenIDUpdate,
  type IWidget,
  type SimpleObservable,
} from 'matrix-widget-api';

/** Tabs are let do nothing in the chat but ask who is looking. */
class Driver extends WidgetDriver {
  override validateCapabilities(): Promise<Set<Capability>> {
    return Promise.resolve(new Set());
  }
  override askOpenID(observer: SimpleObservable<IOpenIDUpdate>): void {
    const ask = async () => {
      const answer = await fetch('/word', { method: 'POST' });
      if (!answer.ok) return observer.update({ state: OpenIDRequestState.Blocked });
      observer.update({ state: OpenIDRequestState.Allowed, token: (await answer.json()) as IOpenIDCredentials });
    };
    void ask().catch(() => observer.update({ state: OpenIDRequestState.Blocked }));
  }
}

const frame = document.querySelector<HTMLIFrameElement>('iframe[data-tab]');
if (frame) {
  const said = JSON.parse(frame.dataset['tab']!) as IWidget;
  const widget = new Widget(said);
  new ClientWidgetApi(widget, frame, new Driver());
  const url = new URL(widget.getCompleteUrl({ currentUserId: frame.dataset['user']! }));
  url.searchParams.set('widgetId', said.id);
  url.searchParams.set('parentUrl', window.location.href);
  frame.src = url.toString();
}

/** Everything around the tab is brought up to date; the tab itself stays as it is. */
const parts = ['posts', 'people', 'side', 'tabs'];
let known = document.body.dataset['count'];
async function refresh(): Promise<void> {
  const answer = await fetch(window.location.href);
  if (!answer.ok || answer.redirected) return;
  const fresh = new DOMParser().parseFromString(await answer.text(), 'text/html');
  if (fresh.body.dataset['count'] === known) return;
  known = fresh.body.dataset['count'];
  for (const id of parts) {
    const [before, after] = [document.getElementById(id), fresh.getElementById(id)];
    if (before && after && !before.contains(document.activeElement)) before.replaceWith(after);
  }
}
setInterval(() => void refresh().catch(() => undefined), 1_000);
