import { escapeUTF8 } from 'entities';

/** What is posted into a channel: words, and what they are about, with its address. */
export interface Post {
  /** Of a person; nothing where the service speaks for itself. */
  readonly by?: string;
  readonly words: string;
  readonly title: string;
  readonly link: string;
  /** What is seen there: limits, how old the data is. */
  readonly notes?: readonly string[];
}

/** A message of a channel. @see `m.room.message`, `m.text` */
export interface MessageContent {
  readonly msgtype: 'm.text';
  readonly body: string;
  readonly format: 'org.matrix.custom.html';
  readonly formatted_body: string;
}

const lines = (text: string) => text.split(/\r?\n/);
// What people write stands as they wrote it: none of it is markup, and none of it calls everybody of the channel.
const html = (text: string) => lines(escapeUTF8(text)).join('<br>');

/** A post as a message, for those who read letters only and for those who see more. */
export function messageOf({ by, words, title, link, notes = [] }: Post): MessageContent {
  const said = words.trim();
  const plain = [
    ...(by === undefined ? [] : [`${by} posted what they see:`]),
    ...(said === '' ? [] : lines(said)),
    title,
    link,
    ...notes,
  ];
  const head = by === undefined ? '' : `<p><b>${html(by)}</b> posted what they see:</p>`;
  const below = notes.length === 0 ? '' : `<br>${notes.map(html).join('<br>')}`;
  const card = `<blockquote><a href="${escapeUTF8(link)}">${html(title)}</a>${below}</blockquote>`;
  return {
    msgtype: 'm.text',
    body: plain.join('\n'),
    format: 'org.matrix.custom.html',
    formatted_body: `${head}${said === '' ? '' : `<p>${html(said)}</p>`}${card}`,
  };
}
