export { addChat } from './chatServers.ts';
export { saveTab } from './channelPlacements.ts';
