import Joi from 'joi';
import { namedHolders, rightLevels, thingKinds, type ListedPerson } from '@underbell/core/access';
import { invalidRowActions } from '@underbell/core/check';
import { columnTypes } from '@underbell/core/dataset';
import { Refusal } from '@underbell/core/refusal';
import { defineRoute, verifyAudit, type Route } from '../platform/index.ts';
import { nameAttribute, takeAttribute } from './attributes.ts';
import { giveGrant, grantsOn, makePublisher, takeGrant } from './grants.ts';
import { changeMembers, dropGroup, nameGroup, saveGroup, seenGroups } from './groups.ts';
import { inviteMany } from './inviteMany.ts';
import { editPerson, invite, saveAttribute } from './people.ts';
import { isAuthor, notFound, requireAdministrator, rightOn } from './rights.ts';
import { email, groupName, holderOf, thing } from './schemas.ts';
import { shownPerson } from './sessionRoutes.ts';
import { findListed, listAttributes, listEveryone, type ListedPerson as StoredPerson } from './store.ts';

const level = Joi.string().valid(...rightLevels);
const kind = Joi.string().valid(...thingKinds);
const attributeName = Joi.string()
  .pattern(/^[a-z][a-z0-9_]*$/, 'lower-case letters, digits and underscores, starting with a letter')
  .max(60);
const attributes = Joi.object().pattern(attributeName, Joi.array().items(Joi.string().max(1000)).min(1).max(1000));

const listedPerson = ({ state, organisation, origin, ...one }: StoredPerson): ListedPerson => ({
  ...shownPerson(one),
  state,
  organisation,
  origin,
});

export const peopleRoutes: Route[] = [
  defineRoute({
    method: 'get',
    path: '/api/v1/users',
    tag: 'Access',
    audience: 'person',
    summary: 'List users (authors and administrators)',
    async handle({ app, person }) {
      if (!(await isAuthor(app, person)))
        throw new Refusal('NOT_ALLOWED', 'Only authors and administrators can list users.');
      return { people: (await listEveryone(app)).map(listedPerson) };
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/users/:email',
    tag: 'Access',
    audience: 'person',
    summary: 'Get a user (authors and administrators)',
    params: Joi.object({ email: email.required() }),
    async handle({ app, person, params }) {
      if (!(await isAuthor(app, person)))
        throw new Refusal('NOT_ALLOWED', 'Only authors and administrators can list users.');
      const found = await findListed(app, params.email);
      if (!found) throw notFound('person', params.email, []);
      return listedPerson(found);
    },
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/users/:email/publisher',
    tag: 'Access',
    audience: 'person',
    summary: 'Set which kinds of items a user can create (administrators)',
    status: 204,
    params: Joi.object({ email: email.required() }),
    async handle({ app, person, params, origin }) {
      await makePublisher(app, person, params.email, origin);
      return null;
    },
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/users/:email',
    tag: 'Access',
    audience: 'person',
    summary: 'Update a user; a deactivated user is signed out',
    status: 204,
    params: Joi.object({ email: email.required() }),
    body: Joi.object({
      name: Joi.string().trim().min(1).max(200),
      state: Joi.string().valid('active', 'guest', 'left'),
      attributes,
      isAdministrator: Joi.boolean(),
    }).min(1),
    async handle({ app, person, params, body, origin }) {
      await editPerson(app, person, params.email, body, origin);
      return null;
    },
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/invitations',
    tag: 'Access',
    audience: 'person',
    summary: 'Invite a user or a guest by email',
    status: 201,
    body: Joi.object({
      email: email.required(),
      name: Joi.string().trim().min(1).max(200).required(),
      organisation: Joi.string().trim().min(1).max(200),
      groups: Joi.array().items(groupName).max(50).default([]),
      attributes: attributes.default({}),
      rights: Joi.array()
        .items(Joi.object({ kind: kind.required(), name: thing.required(), level: level.required() }))
        .max(50)
        .default([]),
      words: Joi.string().trim().max(2000).allow('').default(''),
    }),
    handle: ({ app, person, body, origin }) => invite(app, person, body, origin),
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/invitations/table',
    tag: 'Access',
    audience: 'person',
    summary: 'Invite all users of a table or a list of email addresses, or preview that',
    body: Joi.object({
      text: Joi.string()
        .max(1_000_000)
        .required()
        .description(
          'one person in a line, or CSV with the headings email, name, organisation, groups and names of attributes; several values of a cell stand with | or ; between them',
        ),
      message: Joi.string().trim().max(2000).allow('').default('').description('message in the email'),
      invalidRows: Joi.string()
        .valid(...invalidRowActions)
        .default('reject'),
      isPreview: Joi.boolean().default(false),
    }),
    handle: ({ app, person, body: { message, ...wish }, origin }) =>
      inviteMany(app, person, { ...wish, words: message }, origin),
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/groups',
    tag: 'Access',
    audience: 'person',
    summary: 'List groups with their members (authors and administrators)',
    async handle({ app, person }) {
      return { groups: await seenGroups(app, person) };
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/groups/:name',
    tag: 'Access',
    audience: 'person',
    summary: 'Get a group with its members',
    params: Joi.object({ name: groupName.required() }),
    async handle({ app, person, params }) {
      const seen = await seenGroups(app, person);
      const found = seen.find((one) => one.name === params.name);
      if (found) return found;
      throw notFound(
        'group',
        params.name,
        seen.map((one) => one.name),
      );
    },
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/groups/:name/name',
    tag: 'Access',
    audience: 'person',
    summary: 'Rename a group; permissions, row rules, masks and lists follow',
    params: Joi.object({ name: groupName.required() }),
    body: Joi.object({ name: groupName.required() }),
    async handle({ app, person, params, body, origin }) {
      await nameGroup(app, person, params.name, body.name, origin);
      return { name: body.name, formerly: params.name };
    },
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/groups/:name',
    tag: 'Access',
    audience: 'person',
    summary: 'Set the members of a group',
    status: 204,
    params: Joi.object({ name: groupName.required() }),
    body: Joi.object({
      members: Joi.array().items(email).max(10_000).required(),
      owners: Joi.array().items(email).max(100).default([]),
    }),
    async handle({ app, person, params, body, origin }) {
      await saveGroup(app, person, { ...params, ...body }, origin);
      return null;
    },
  }),
  defineRoute({
    method: 'post',
    path: '/api/v1/groups/:name/members',
    tag: 'Access',
    audience: 'person',
    summary: 'Add and remove members of a group',
    params: Joi.object({ name: groupName.required() }),
    body: Joi.object({
      add: Joi.array().items(email).max(2_000),
      remove: Joi.array().items(email).max(2_000),
    }).or('add', 'remove'),
    handle: ({ app, person, params, body: { add = [], remove = [] }, origin }) =>
      changeMembers(app, person, params.name, { add, remove }, origin),
  }),
  defineRoute({
    method: 'delete',
    path: '/api/v1/groups/:name',
    tag: 'Access',
    audience: 'person',
    summary: 'Delete a group that is not in use',
    status: 204,
    params: Joi.object({ name: groupName.required() }),
    async handle({ app, person, params, origin }) {
      await dropGroup(app, person, params.name, origin);
      return null;
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/user-attributes',
    tag: 'Access',
    audience: 'person',
    summary: 'List user attributes',
    async handle({ app, person }) {
      if (!(await isAuthor(app, person)))
        throw new Refusal('NOT_ALLOWED', 'Only authors and administrators can list user attributes.');
      return { attributes: await listAttributes(app) };
    },
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/user-attributes/:name',
    tag: 'Access',
    audience: 'person',
    summary: 'Create a user attribute',
    status: 204,
    params: Joi.object({ name: attributeName.required() }),
    body: Joi.object({
      label: Joi.string().trim().min(1).max(200).required(),
      type: Joi.string()
        .valid(...columnTypes)
        .default('text'),
      isMany: Joi.boolean().default(false),
    }),
    async handle({ app, person, params, body, origin }) {
      await saveAttribute(app, person, { ...params, ...body }, origin);
      return null;
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/permissions',
    tag: 'Access',
    audience: 'person',
    summary: 'List the permissions on an item, and explain your own',
    query: Joi.object({ kind: kind.required(), name: Joi.alternatives(thing, Joi.string().valid('*')).required() }),
    async handle({ app, person, query }) {
      const grants = await grantsOn(app, person, query.kind, query.name);
      return { grants, own: await rightOn(app, person, query.kind, query.name) };
    },
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/permissions',
    tag: 'Access',
    audience: 'person',
    summary: 'Grant a permission on an item or a folder',
    body: Joi.object({
      holder: holderOf(...namedHolders).required(),
      thing: Joi.object({
        kind: kind.required(),
        name: Joi.alternatives(thing, Joi.string().valid('*')).required(),
      }).required(),
      level: level.required(),
      canPassOn: Joi.boolean().default(false),
    }),
    async handle({ app, person, body, origin }) {
      await giveGrant(app, person, body, origin);
      return { grant: body };
    },
  }),
  defineRoute({
    method: 'delete',
    path: '/api/v1/permissions/:id',
    tag: 'Access',
    audience: 'person',
    summary: 'Revoke a permission',
    status: 204,
    params: Joi.object({ id: Joi.number().integer().required() }),
    async handle({ app, person, params, origin }) {
      await takeGrant(app, person, params.id, origin);
      return null;
    },
  }),
  defineRoute({
    method: 'put',
    path: '/api/v1/user-attributes/:name/name',
    tag: 'Access',
    audience: 'person',
    summary: 'Rename a user attribute; users and row rules follow',
    params: Joi.object({ name: attributeName.required() }),
    body: Joi.object({ name: attributeName.required() }),
    async handle({ app, person, params, body, origin }) {
      await nameAttribute(app, person, params.name, body.name, origin);
      return { name: body.name, formerly: params.name };
    },
  }),
  defineRoute({
    method: 'delete',
    path: '/api/v1/user-attributes/:name',
    tag: 'Access',
    audience: 'person',
    summary: 'Delete a user attribute that is not in use',
    status: 204,
    params: Joi.object({ name: attributeName.required() }),
    async handle({ app, person, params, origin }) {
      await takeAttribute(app, person, params.name, origin);
      return null;
    },
  }),
  defineRoute({
    method: 'get',
    path: '/api/v1/audit-log/verify',
    tag: 'Audit log',
    audience: 'person',
    summary: 'Verify the hash chain of the audit log',
    async handle({ app, person }) {
      requireAdministrator(person);
      return verifyAudit(app);
    },
  }),
];
