export { signAccessToken, tokenAlgorithm, verifyAccessToken, type AccessTokenClaims } from './accessToken.ts';
