import { Refusal, startPreview, type TestSending } from '@verbalis/service/preview';
import { RefusedError, UnreachableError, type Client } from '@verbalis/client';
import { UsageError, type ExitCode, type Output } from '../output.js';

export interface PreviewOptions {
  readonly host: string;
  readonly port: string;
  readonly edit?: boolean;
  readonly json?: boolean;
}

/** Sends tests through a service; whether they are captured or delivered is that space's business. */
function through(client: Client, where: string): TestSending {
  return {
    ways: () => [where],
    send: async (_space, mail, { to }) => {
      try {
        const { id } = await client.messages.send({ subject: mail.subject, html: mail.htmlSource, text: mail.text, to: [to] });
        return { detail: `Asked for as message ${id} of ${where}.` };
      } catch (error) {
        if (!(error instanceof RefusedError) && !(error instanceof UnreachableError)) throw error;
        throw new Refusal(502, 'not-sent', 'The service did not accept the test', { detail: error.message });
      }
    },
  };
}

/** Shows a mail folder on a local page until it is interrupted to end. */
export async function preview(
  folder: string,
  options: PreviewOptions,
  connection: { readonly client: Client; readonly url: string } | undefined,
  output: Output,
): Promise<ExitCode> {
  const port = Number(options.port);
  if (!Number.isInteger(port) || port < 0 || port > 65_535) throw new UsageError(`"${options.port}" is not a valid port.`);
  const interrupted = new Promise<void>((resolve) => {
    process.once('SIGINT', () => resolve());
    process.once('SIGTERM', () => resolve());
  });
  let page;
  try {
    page = await startPreview({
      folder,
      host: options.host,
      port,
      editable: options.edit === true,
      ...(connection === undefined ? {} : { testing: through(connection.client, connection.url) }),
    });
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EADDRINUSE')
      throw new UsageError(`Port ${port} on ${options.host} is in use.`, 'Take another with --port, or 0 for any free one.');
    throw error;
  }
  if (options.json === true) output.json({ url: page.url });
  else
    output.out(
      `The preview of ${folder} is at ${page.url}\n${options.edit === true ? 'The page may write its sources.' : 'The page writes nothing; with --edit it may.'} End with Ctrl+C.`,
    );
  await interrupted;
  await page.stop();
  return 0;
}
