export { ChatHost } from './chatHost.ts';
export type { ChatHostOptions, ChatUser } from './chatState.ts';
export type { Registration } from './appService.ts';
export { furnish, type FirstTeam } from './furnish.ts';
