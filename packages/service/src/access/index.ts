export { accessRoutes, thing } from './routes.ts';
export { noSuch, requireMaker, requireRight, rightOn, visibleNames } from './rights.ts';
export { makeSetupCode, personOf, startSession } from './signIn.ts';
export { addPerson, attributeNames, findPerson, listPeople, listRules, putGrant, putRule } from './store.ts';
