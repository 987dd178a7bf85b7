import { UnderBellElement } from './underBellElement.ts';

if (!customElements.get('under-bell')) customElements.define('under-bell', UnderBellElement);

export { UnderBellElement };
export type { Parameters, RecordFields, Theme, UnderBellEvents } from './underBellElement.ts';
