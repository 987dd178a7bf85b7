import { escapeUTF8 } from 'entities';
/** What a page says in words: its number figures, and what it is limited to. */
export interface PageNumbers {
  readonly title: string;
  readonly page: string;
  readonly numbers: readonly { readonly title: string; readonly value: string; readonly beside?: string }[];
  readonly limits: readonly string[];
}

export interface LetterContent {
  /** Paragraphs with empty lines between them, as the sender wrote them. */
  readonly message: string;
  /** The page that is shown, where one is; `contentId` names its picture in the letter. */
  readonly page?: { readonly numbers: PageNumbers; readonly contentId: string };
  /** Where the report itself is. */
  readonly link: { readonly address: string; readonly words: string };
  /** Where its recipient says that they want no more of these. */
  readonly unsubscribe?: string;
}

/** Addresses become links; everything else stays text. */
const linked = (text: string) =>
  escapeUTF8(text).replace(/https?:\/\/[^\s<>"]+[^\s<>".,;:)]/g, (address) => `<a href="${address}">${address}</a>`);

function paragraphs(message: string): string {
  return message
    .trim()
    .split(/\n{2,}/)
    .map((one) => `<p style="margin:0 0 14px">${linked(one).replaceAll('\n', '<br>')}</p>`)
    .join('\n');
}

const numberCell = ({ title, value, beside }: PageNumbers['numbers'][number]) =>
  `<td style="padding:0 26px 14px 0;vertical-align:top"><div style="font-size:13px;color:#4c5f68">${escapeUTF8(title)}</div>` +
  `<div style="font-size:22px;font-weight:600">${escapeUTF8(value)}</div>` +
  `${beside === undefined ? '' : `<div style="font-size:12px;color:#4c5f68">${escapeUTF8(beside)}</div>`}</td>`;

/** The same letter in both of its forms (RFC 2046, `multipart/alternative`): whoever sees no pictures reads the numbers. */
export function writeLetter({ message, page, link, unsubscribe }: LetterContent): { text: string; html: string } {
  const numbers = page?.numbers;
  const lines = (numbers?.numbers ?? []).map(
    ({ title, value, beside }) => `${title}: ${value}${beside === undefined ? '' : ` (${beside})`}`,
  );
  const limits = (numbers?.limits ?? []).join(' · ');
  const alt = numbers ? `${numbers.title}, ${numbers.page}: ${lines.join('; ')}` : '';
  const text = [
    message.trim(),
    ...(numbers ? [`${numbers.title}, ${numbers.page}\n${limits}`, lines.join('\n')] : []),
    `${link.words}: ${link.address}`,
    ...(unsubscribe === undefined ? [] : [`Unsubscribe: ${unsubscribe}`]),
  ]
    .filter((one) => one !== '')
    .join('\n\n');
  const figures = numbers
    ? `<table role="presentation" cellpadding="0" cellspacing="0" style="border-collapse:collapse"><tr>${numbers.numbers.map(numberCell).join('')}</tr></table>
<img src="cid:${page!.contentId}" alt="${escapeUTF8(alt)}" width="640" style="display:block;width:100%;max-width:640px;height:auto;border:1px solid #d8dfe2;border-radius:4px">
<p style="margin:8px 0 14px;font-size:12px;color:#4c5f68">${escapeUTF8(limits)}</p>`
    : '';
  const html = `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"></head>
<body style="margin:0;padding:20px;font:15px/1.5 system-ui,'Segoe UI',Helvetica,Arial,sans-serif;color:#12232b;background:#ffffff"><div style="max-width:640px">
${paragraphs(message)}
${figures}
<p style="margin:0 0 14px"><a href="${escapeUTF8(link.address)}" style="color:#1d5468">${escapeUTF8(link.words)}</a></p>
${unsubscribe === undefined ? '' : `<p style="margin:0;font-size:12px;color:#4c5f68"><a href="${escapeUTF8(unsubscribe)}" style="color:#4c5f68">Unsubscribe</a></p>`}
</div></body></html>
`;
  return { text: `${text}\n`, html };
}
