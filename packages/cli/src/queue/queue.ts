import type { Client } from '@verbalis/client';
import { tableText, type ExitCode, type Output } from '../output.js';

/** Deliveries that wait for the date that the app named. */
export async function listPlanned(
  client: Client,
  { json = false, limit, cursor }: { readonly json?: boolean; readonly limit?: string; readonly cursor?: string },
  output: Output,
): Promise<ExitCode> {
  const list = await client.queue.planned({ cursor, ...(limit === undefined ? {} : { limit: Number(limit) }) });
  if (json) output.json(list);
  else if (list.deliveries.length === 0) output.out('No message is planned.');
  else {
    output.out(
      tableText(
        [{ title: 'when' }, { title: 'to' }, { title: 'template' }, { title: 'subject' }, { title: 'message' }],
        list.deliveries.map(({ notBefore, held, address, template, subject, messageId }) => [
          held ? `${notBefore} (held)` : notBefore,
          address,
          template,
          subject,
          output.color.dim(messageId),
        ]),
        output.color,
      ),
    );
    output.note('Another time: POST /v1/messages/MESSAGE/reschedule, or its page in the console. Not at all: verbalis cancel MESSAGE.');
    if (list.nextCursor !== undefined) output.note(`More: --cursor ${list.nextCursor}`);
  }
  return 0;
}

/** What waits, by topic. */
export async function showQueue(client: Client, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const queue = await client.queue.get();
  if (json) output.json(queue);
  else if (queue.topics.length === 0) output.out('The queue is empty.');
  else
    output.out(
      tableText(
        [
          { title: 'topic' },
          { title: 'priority' },
          { title: 'state' },
          { title: 'waiting', right: true },
          { title: 'due', right: true },
          { title: 'held', right: true },
          { title: 'oldest' },
        ],
        queue.topics.map((topic) => [
          topic.topic ?? '(none)',
          topic.priority,
          topic.state,
          String(topic.waiting),
          String(topic.due),
          String(topic.held),
          topic.oldest,
        ]),
        output.color,
      ),
    );
  return 0;
}
