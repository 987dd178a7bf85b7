/** A person as the directory keeps one. */
export interface DirectoryPerson {
  readonly id: string;
  readonly name: string;
  readonly email: string;
  readonly attributes: readonly { readonly name: string; readonly value: string }[];
}

export interface DirectoryGroup {
  readonly name: string;
  /** Addresses. */
  readonly members: readonly string[];
}

const attributesSchema = 'urn:ietf:params:scim:schemas:extension:underbell:2.0:Attributes';
const userSchema = 'urn:ietf:params:scim:schemas:core:2.0:User';
const groupSchema = 'urn:ietf:params:scim:schemas:core:2.0:Group';
const patchSchema = 'urn:ietf:params:scim:api:messages:2.0:PatchOp';

/** Speaks SCIM 2.0 to a service, as a directory does. @see RFC 7644 */
export class ScimPusher {
  readonly #url: string;
  readonly #token: string;

  constructor(serviceUrl: string, token: string) {
    this.#url = `${serviceUrl}/scim/v2`;
    this.#token = token;
  }

  async #call<T>(method: string, path: string, body?: object): Promise<T> {
    const answer = await fetch(`${this.#url}${path}`, {
      method,
      headers: { Authorization: `Bearer ${this.#token}`, 'Content-Type': 'application/scim+json' },
      ...(body ? { body: JSON.stringify(body) } : {}),
    });
    const text = await answer.text();
    if (!answer.ok) throw new Error(`SCIM ${method} ${path}: ${answer.status} ${text}`);
    return (text === '' ? undefined : JSON.parse(text)) as T;
  }

  async #find(kind: 'Users' | 'Groups', attribute: string, value: string): Promise<string | undefined> {
    const filter = encodeURIComponent(`${attribute} eq ${JSON.stringify(value)}`);
    const found = await this.#call<{ Resources?: { id: string }[] }>('GET', `/${kind}?filter=${filter}`);
    return found.Resources?.[0]?.id;
  }

  /** Makes a user or group, or brings it up to date. @returns its id there */
  async #put(kind: 'Users' | 'Groups', attribute: string, value: string, body: object): Promise<string> {
    const known = await this.#find(kind, attribute, value);
    const path = known === undefined ? `/${kind}` : `/${kind}/${known}`;
    const { id } = await this.#call<{ id: string }>(known === undefined ? 'POST' : 'PUT', path, body);
    return id;
  }

  async pushAll(people: readonly DirectoryPerson[], groups: readonly DirectoryGroup[]): Promise<void> {
    const ids = new Map<string, string>();
    for (const person of people) {
      const id = await this.#put('Users', 'userName', person.email, {
        schemas: [userSchema, attributesSchema],
        userName: person.email,
        externalId: person.id,
        displayName: person.name,
        emails: [{ value: person.email, primary: true }],
        active: true,
        [attributesSchema]: { values: person.attributes },
      });
      ids.set(person.email, id);
    }
    for (const group of groups) {
      await this.#put('Groups', 'displayName', group.name, {
        schemas: [groupSchema],
        displayName: group.name,
        members: group.members.map((email) => ({ value: ids.get(email)! })),
      });
    }
  }

  /** Tells the service that somebody has left, or is back. */
  async setActive(email: string, isActive: boolean): Promise<void> {
    const id = await this.#find('Users', 'userName', email);
    if (id === undefined) throw new Error(`the service does not know ${email}`);
    await this.#call('PATCH', `/Users/${id}`, {
      schemas: [patchSchema],
      Operations: [{ op: 'replace', path: 'active', value: isActive }],
    });
  }
}
