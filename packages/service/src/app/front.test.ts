import { createServer, get, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterEach, expect, test } from '@jest/globals';
import express from 'express';
import { Front } from './front.js';

const opened: Server[] = [];
afterEach(() => {
  for (const server of opened.splice(0)) server.close();
});

/** Longer than a test may take. */
const FOR_EVER = 1_000_000;

async function listening(front: Front): Promise<{ readonly url: string; readonly arrived: (count: number) => Promise<void> }> {
  let count = 0;
  let look: () => void = () => undefined;
  const server = createServer((request, response) => {
    front.handle(request, response);
    count += 1;
    look();
  });
  opened.push(server);
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  return {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    arrived: (wanted) =>
      new Promise((done) => {
        look = () => {
          if (count >= wanted) done();
        };
        look();
      }),
  };
}

test('a request whose client goes away while the application is replaced is neither answered nor waited for', async () => {
  const front = new Front();
  const { url, arrived } = await listening(front);
  let answered = 0;
  const app = express();
  app.use((_request, response) => {
    answered += 1;
    response.json({});
  });
  const request = get(url);
  request.on('error', () => undefined);
  await arrived(1);
  const gone = new Promise((done) => request.once('close', done));
  request.destroy();
  await gone;
  // Its end reaches the server with the next event of its socket: another request comes after it.
  const other = fetch(url);
  await arrived(2);
  front.open(app);
  expect((await other).status).toBe(200);
  expect(answered).toBe(1);
  await front.hold(undefined, FOR_EVER);
});

test('a request that is under way is waited for, and one that comes meanwhile gets its answer of the new application', async () => {
  const front = new Front();
  const { url, arrived } = await listening(front);
  const of = (name: string, until?: Promise<void>) => {
    const app = express();
    app.use((_request, response, next) => {
      (until ?? Promise.resolve()).then(() => response.json(name)).catch(next);
    });
    return app;
  };
  let release: () => void = () => undefined;
  front.open(of('old', new Promise((done) => (release = done))));
  const first = fetch(url);
  await arrived(1);
  const held = front.hold(undefined, FOR_EVER);
  const second = fetch(url);
  await arrived(2);
  release();
  await held;
  front.open(of('new'));
  expect([await (await first).json(), await (await second).json()]).toEqual(['old', 'new']);
});
