export { requireClient, saveClient } from './clients.ts';
export { signingKeys } from './keys.ts';
export { oauthAnswer } from './oauthAnswer.ts';
export { proofOf } from './proof.ts';
export { checkDetails, describeToken, tokenViewer } from './tokens.ts';
