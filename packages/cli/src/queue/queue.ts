import type { Client } from '@verbalis/client';
import { tableText, type ExitCode, type Output } from '../output.js';

/** What waits, by topic. */
export async function showQueue(client: Client, { json = false }: { json?: boolean }, output: Output): Promise<ExitCode> {
  const queue = await client.queue.get();
  if (json) output.out(JSON.stringify(queue, null, 2));
  else if (queue.topics.length === 0) output.out('Nothing waits.');
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
