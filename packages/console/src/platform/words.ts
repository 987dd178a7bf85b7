const dateTime = new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeStyle: 'short' });
const number = new Intl.NumberFormat('en-GB');

export const showInstant = (text: string | null | undefined) => (text ? dateTime.format(new Date(text)) : '–');
export const showCount = (value: number) => number.format(value);
export const showSize = (bytes: number) =>
  bytes < 1024 ? `${bytes} B` : `${number.format(Math.round(bytes / 1024))} kB`;
export const capitalised = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
