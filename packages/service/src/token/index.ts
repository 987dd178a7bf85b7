export { requireClient, saveClient } from './clients.ts';
export { proofOf } from './proof.ts';
export { checkDetails, describeToken, tokenViewer } from './tokens.ts';
