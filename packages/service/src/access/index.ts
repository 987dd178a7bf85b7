export { accessRoutes } from './routes.ts';
export { email, filter, thing, webOrigin } from './schemas.ts';
export { ruleBody } from './ruleRoutes.ts';
export {
  isMaker,
  namesSeen,
  noSuch,
  ownedNames,
  requireMaker,
  requirePassOn,
  requireRight,
  rightOn,
  visibleNames,
} from './rights.ts';
export { makeSetupCode, personOf, sessionCookie, startSession } from './signIn.ts';
export { checkedRule } from './rules.ts';
export { limitsOn, listMasks, listRules, putMask, putRule } from './ruleStore.ts';
export {
  foldersOf,
  listFolders,
  listGrants,
  moveThing,
  putFolder,
  putGrant,
  putOwner,
  removeClientGrants,
} from './grantStore.ts';
export { boundOf } from './grants.ts';
export { askForAccess, ownersOf, type Wish } from './requests.ts';
export {
  addGroup,
  changeGroup,
  findGroupRow,
  groupNames,
  listGroupRows,
  membersOf,
  removeGroup,
  renameGroup,
  setMembers,
  type GroupRow,
} from './groupStore.ts';
export { checkAttributes, requireAdministrator } from './people.ts';
export {
  addPerson,
  attributeNames,
  changePerson,
  findPerson,
  findPersonRow,
  listAttributes,
  listPeople,
  listPersonRows,
  putAttribute,
  type PersonRow,
} from './store.ts';
