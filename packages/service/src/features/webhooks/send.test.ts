import { createServer, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { expect, test } from '@jest/globals';
import { outsideConnections } from '../../kernel/index.js';
import { ask } from './send.js';

/** Asks a consumer that answers like this, and waits a moment for it. */
async function asked(answer: (response: ServerResponse) => void, waitMs = 300) {
  const server = createServer((_request, response) => {
    answer(response);
  });
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const rules = { allow: ['127.0.0.1'] };
  const connections = outsideConnections(rules, 60_000, 1);
  try {
    const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    return await ask(url, { method: 'POST', headers: {}, body: '{}' }, { connections, rules, waitMs });
  } finally {
    await connections.destroy();
    server.closeAllConnections();
    server.close();
  }
}

test('a consumer that drips its body has answered, and holds nothing for longer', async () => {
  const drips = (response: ServerResponse): void => {
    response.writeHead(202);
    const timer = setInterval(() => response.write('.'), 20);
    response.on('close', () => clearInterval(timer));
  };
  let answer = await asked(drips);
  // A machine that stands still for a third of a second has no answer by then.
  for (let waitMs = 1000; answer.status === undefined && waitMs < 60_000; waitMs *= 4) answer = await asked(drips, waitMs);
  expect(answer).toMatchObject({ status: 202, ok: true });
});

test('one that drips its header has not answered in time', async () => {
  const answer = await asked(({ socket }) => {
    const timer = setInterval(() => socket?.write('X-Drip: 1\r\n'), 20);
    socket?.write('HTTP/1.1 200 OK\r\n');
    socket?.on('close', () => clearInterval(timer));
  });
  expect(answer).toMatchObject({ status: undefined, ok: false, problem: 'It did not answer in time.' });
});
