export { createPortal, type PortalSetup } from './portal.ts';
