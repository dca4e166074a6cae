// What a running service does in a second.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import autocannon from 'autocannon';
import { root } from './processes.mjs';

const read = (path) => JSON.parse(readFileSync(join(root, path), 'utf8'));

/** Messages accepted over HTTP, 50 connections; also of a bare handler at the same address. */
export async function acceptRate(url, key) {
  const [body] = read('demo/bookings.json');
  const result = await autocannon({
    url: `${url}/v1/messages`,
    method: 'POST',
    connections: 50,
    duration: 3,
    headers: { 'content-type': 'application/json', ...(key === undefined ? {} : { authorization: `Bearer ${key}` }) },
    // For an hour from now: what is measured is accepting, not what comes after it.
    body: JSON.stringify({ ...body, notBefore: new Date(Date.now() + 3_600_000).toISOString() }),
  });
  if (result.non2xx > 0 || result.errors > 0) throw new Error(`${result.non2xx} refusals, ${result.errors} errors`);
  return result.requests.average;
}

/**
 * Emails of 10 kB from the queue to the provider "sink"; what waits for later does not count.
 * @param begun is called when they are accepted, before the first one is sent
 */
export async function dispatchRate(client, emails, begun = () => undefined) {
  const data = read('demo/mail/templates/refund-receipt/samples/typical.json');
  const chunk = Array.from({ length: 500 }, (_, i) => ({ template: 'refund-receipt', to: [`guest${i}@post.example`], data }));
  await client.providers.pause('sink');
  const before = (await client.queue.get()).waiting;
  for (let i = 0; i < emails; i += chunk.length) await client.messages.sendBatch({ mode: 'all', messages: chunk });
  begun();
  const from = performance.now();
  await client.providers.resume('sink');
  while ((await client.queue.get()).waiting > before) await new Promise((done) => setTimeout(done, 100));
  return (emails * 1000) / (performance.now() - from);
}
