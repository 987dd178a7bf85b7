export { folders } from './models.ts';
export type { MemberRow } from './models.ts';
export type { FolderRow, GroupRow, PersonRow } from './models.ts';
export { email, filter, groupName, holderOf, thing, webOrigin } from './schemas.ts';
export { requireHolder } from './principals.ts';
export {
  isAuthor,
  namesSeen,
  notFound,
  ownedNames,
  requireAdministrator,
  requireAuthor,
  requirePassOn,
  requireRight,
  requireStill,
  rightOn,
  rightsFor,
  rightsOn,
  visibleNames,
} from './rights.ts';
export { beginSession, endSession, makeSetupCode, personOf, sessionCookie, startSession } from './signIn.ts';
export { limitsOn, listMasks, listRules, putMask, putRule, removeMask, removeRule, renameLimit } from './ruleStore.ts';
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
export { boundOf, giveGrant } from './grants.ts';
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
} from './groupStore.ts';
export { isSeen } from './groups.ts';
export { checkAttributes } from './people.ts';
export {
  addPerson,
  attributeNames,
  changePerson,
  endChatSessions,
  findPerson,
  findPersonRow,
  listAttributes,
  listPeople,
  listPersonRows,
  putAttribute,
  emailsById,
} from './store.ts';
export { giversOf, grantorsOfScreen, levelOf } from './delegation.ts';
export type { DirectoryUser } from './models.ts';
