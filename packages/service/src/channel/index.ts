export { addChat } from './chats.ts';
export { saveTab } from './tabs.ts';
