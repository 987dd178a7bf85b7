export { oauthRoutes } from './routes.ts';
export { saveClient, tokenViewer, type TokenViewer } from './usecases.ts';
