import { shallowRef } from 'vue';
import { ApiProblem, call } from '../platform/api.ts';

export interface SessionPerson {
  readonly email: string;
  readonly name: string;
  readonly isAdministrator: boolean;
}

const person = shallowRef<SessionPerson>();

/** Who is signed in; one for the whole console. */
export function useSession() {
  async function load(): Promise<boolean> {
    try {
      person.value = (await call<{ person: SessionPerson }>('GET', '/api/v1/session')).person;
      return true;
    } catch (error) {
      if (!(error instanceof ApiProblem)) throw error;
      person.value = undefined;
      return false;
    }
  }

  async function signIn(email: string, password: string): Promise<void> {
    person.value = (await call<{ person: SessionPerson }>('POST', '/api/v1/session', { email, password })).person;
  }

  async function signOut(): Promise<void> {
    await call('DELETE', '/api/v1/session');
    person.value = undefined;
  }

  async function setUp(details: { code: string; email: string; name: string; password: string }): Promise<void> {
    person.value = (await call<{ person: SessionPerson }>('POST', '/api/v1/setup', details)).person;
  }

  return { person, load, signIn, signOut, setUp };
}
