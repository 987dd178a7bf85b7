import { owner, root, type SmallHouse } from '../smallHouse.ts';

/** Lets the owner put pictures in. */
export async function giveMakers(small: SmallHouse): Promise<void> {
  const grant = { holder: { kind: 'person', name: owner }, thing: { kind: 'media', name: '*' }, level: 'own' };
  await small.fine('PUT', '/api/v1/grants', grant, root);
}
