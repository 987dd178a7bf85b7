/** A browser that keeps cookies and follows redirects by hand. */
export class Browser {
  readonly #jar = new Map<string, string>();

  async go(method: string, url: string): Promise<Response> {
    const answer = await fetch(url, {
      method,
      redirect: 'manual',
      headers: { Cookie: [...this.#jar].map(([name, value]) => `${name}=${value}`).join('; ') },
    });
    for (const cookie of answer.headers.getSetCookie()) {
      const [pair] = cookie.split(';');
      const at = pair!.indexOf('=');
      this.#jar.set(pair!.slice(0, at), pair!.slice(at + 1));
    }
    return answer;
  }

  /** Follows redirects until one leads nowhere or to a page. */
  async follow(url: string, stopAt: RegExp): Promise<string> {
    let now = url;
    for (let i = 0; i < 12; i++) {
      if (stopAt.test(now)) return now;
      const answer = await this.go('GET', now);
      const next = answer.headers.get('location');
      if (next === null) return now;
      now = new URL(next, now).href;
    }
    return now;
  }

  has(name: string): boolean {
    return this.#jar.has(name);
  }
}
