import { createRenderer } from 'vue';

/** An answer that the service is to give, or a failure to answer. */
export type Answer = { readonly status?: number; readonly body?: unknown; readonly text?: string } | Error;

export interface Asked {
  readonly method: string;
  readonly path: string;
  readonly body: unknown;
  /** Gives the answer. */
  answer(answer: Answer): Promise<void>;
}

/** Lets everything go on that waits for nothing but its turn. */
export async function settled(): Promise<void> {
  for (let i = 0; i < 12; i++) await new Promise((resolve) => setImmediate(resolve));
}

/** A service whose answers a test gives when it wants to. */
export class FakeService {
  /** What was asked and is not answered yet, oldest first. */
  readonly waiting: Asked[] = [];
  /** Everything that was asked, as `GET /path`. */
  readonly asked: string[] = [];

  constructor() {
    globalThis.fetch = ((path: string, init: { method?: string; body?: string } = {}) => {
      const method = init.method ?? 'GET';
      this.asked.push(`${method} ${path}`);
      return new Promise<Response>((resolve, reject) => {
        const one: Asked = {
          method,
          path,
          body: init.body === undefined ? undefined : JSON.parse(init.body),
          answer: async (answer) => {
            this.waiting.splice(this.waiting.indexOf(one), 1);
            if (answer instanceof Error) reject(answer);
            else {
              const { status = 200, body, text = body === undefined ? null : JSON.stringify(body) } = answer;
              resolve(new Response(text, { status }));
            }
            await settled();
          },
        };
        this.waiting.push(one);
      });
    }) as typeof fetch;
  }

  /** Answers what was asked first and is still open. */
  async answer(answer: Answer): Promise<Asked> {
    await settled();
    const [first] = this.waiting;
    if (!first) throw new Error('nothing was asked');
    await first.answer(answer);
    return first;
  }
}

/** A refusal as the service words it. */
export const refusal = (code: string, more: object = {}) => ({
  status: 400,
  body: { type: `urn:underbell:problem:${code}`, title: 'Refused', status: 400, code, detail: 'it is so', ...more },
});

const nothing = () => undefined;
const { createApp } = createRenderer<object, object>({
  patchProp: nothing,
  insert: nothing,
  remove: nothing,
  createElement: () => ({}),
  createText: () => ({}),
  createComment: () => ({}),
  setText: nothing,
  setElementText: nothing,
  parentNode: () => null,
  nextSibling: () => null,
});

/** Uses a composable in a component that draws nothing. */
export function staged<T>(use: () => T): { readonly used: T; leave(): void } {
  let used: T | undefined;
  const app = createApp({
    setup: () => {
      used = use();
      return () => null;
    },
  });
  app.mount({});
  return { used: used!, leave: () => app.unmount() };
}
