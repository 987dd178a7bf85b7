import type { ShownPerson, ShownSession } from '@underbell/core/access';
import { shallowRef } from 'vue';
import { ApiProblem, call } from '../platform/api.ts';
import { setTimeZone } from '../platform/format.ts';

const person = shallowRef<ShownPerson>();
/** Makes things for others, and so has use for data and people. */
const isAuthor = shallowRef(false);

/** Who is signed in; one for the whole console. */
export function useSession() {
  async function load(): Promise<boolean> {
    try {
      const session = await call<ShownSession>('GET', '/api/v1/session');
      person.value = session.person;
      isAuthor.value = session.isAuthor;
      setTimeZone(session.timeZone);
      return true;
    } catch (error) {
      if (!(error instanceof ApiProblem)) throw error;
      person.value = undefined;
      return false;
    }
  }

  async function signIn(email: string, password: string): Promise<void> {
    await call('POST', '/api/v1/session', { email, password });
    await load();
  }

  async function signOut(): Promise<void> {
    await call('DELETE', '/api/v1/session');
    person.value = undefined;
  }

  async function setUp(details: { code: string; email: string; name: string; password: string }): Promise<void> {
    await call('POST', '/api/v1/setup', details);
    await load();
  }

  return { person, isAuthor, load, signIn, signOut, setUp };
}
