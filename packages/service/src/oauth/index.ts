export { oauthRoutes } from './routes.ts';
export { requireClient, saveClient } from './clients.ts';
export { proofOf } from './proof.ts';
export { giversOf, levelOf } from './reach.ts';
export { checkDetails, describeToken, tokenViewer, type TokenViewer } from './tokens.ts';
