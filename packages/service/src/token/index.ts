export { requireClient, saveClient } from './clients.ts';
export { signingKeys } from './keys.ts';
export { oauthEndpoint, oauthForm } from './oauthAnswer.ts';
export { proofOf } from './proof.ts';
export { checkDetails, describeToken, tokenViewer } from './tokens.ts';
