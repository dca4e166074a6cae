import type { Client } from '@verbalis/client';
import { tableText, type ExitCode, type Output } from '../output.js';

/** What waits, by topic. */
export async function showQueue(client: Client, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const queue = await client.queue();
  if (json) output.out(JSON.stringify(queue, null, 2));
  else if (queue.lines.length === 0) output.out('Nothing waits.');
  else
    output.out(
      tableText(
        [
          { title: 'topic' },
          { title: 'priority' },
          { title: 'state' },
          { title: 'waiting', right: true },
          { title: 'due', right: true },
          { title: 'oldest' },
        ],
        queue.lines.map((one) => [one.topic ?? '(none)', one.priority, one.state, String(one.waiting), String(one.due), one.oldest]),
        output.color,
      ),
    );
  return 0;
}

/** Calls a message back. Ends with 1 when it was too late for some of it. */
export async function cancelMessage(client: Client, id: string, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const { changed, late } = await client.messages.cancel(id);
  if (json) output.out(JSON.stringify({ changed, late }, null, 2));
  else output.out(`Called back: ${changed.length}${late.length > 0 ? `; too late for ${late.length}` : ''}.`);
  return late.length === 0 ? 0 : 1;
}

export async function pauseProvider(client: Client, name: string, paused: boolean, output: Output): Promise<ExitCode> {
  await (paused ? client.providers.pause(name) : client.providers.resume(name));
  output.out(paused ? `${name} is paused: its mail goes to the next of the route, or waits.` : `${name} takes mail again.`);
  return 0;
}
