export { addChat, chatOrigins } from './chats.ts';
export { saveTab } from './tabs.ts';
