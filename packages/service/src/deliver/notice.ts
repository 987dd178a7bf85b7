import { isRefusal } from '@underbell/core/refusal';
import { TryLater, type App, type Job } from '../platform/index.ts';
import { messageIdOf, MailTransport } from './mail.ts';
import { operatorPolicy } from './addressPolicy.ts';

/** Sends one short letter of the service itself. Its Message-ID is fixed, so that a second try is the same letter. */
export async function sendNotice(app: App, job: Job): Promise<void> {
  const { to, subject, text } = job.payload as { to: string; subject: string; text: string };
  const transport = new MailTransport(app.settings, operatorPolicy(app));
  try {
    const messageId = messageIdOf(['notice', job.id], app.settings.mailFrom);
    await transport.send({ messageId, to, subject, text, attachments: [] });
  } catch (cause) {
    // A host that is down, or busy just now, gets the letter later; one that refused it has answered.
    if (isRefusal(cause, 'DESTINATION_UNREACHABLE') || isRefusal(cause, 'DESTINATION_BUSY'))
      throw new TryLater(30_000 * 4 ** (job.attempts - 1), { cause });
    throw cause;
  } finally {
    transport.close();
  }
}
