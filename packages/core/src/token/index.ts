export {
  signAccessToken,
  tokenAlgorithms,
  verifyAccessToken,
  type AccessTokenClaims,
  type TokenAlgorithm,
} from './accessToken.ts';
export { verifyAssertion, verifyProof, type ProofKeys } from './proof.ts';
export type { ShownClient, ShownSigningKey } from './apiTypes.ts';
