import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { expect, test } from '@jest/globals';
import { Agent } from 'undici';
import { httpConnections } from './http-connections.js';

test('what could not be opened is opened with the next request; closing never fails, and nothing is opened after it', async () => {
  const server = createServer((_request, response) => response.end('here'));
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done));
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
  let made = 0;
  const connections = httpConnections(() => {
    made += 1;
    if (made === 1) throw new Error('no such file');
    return new Agent();
  });
  await expect(connections.request(url, {})).rejects.toThrow('no such file');
  const { body } = await connections.request(url, {});
  expect(await body.text()).toBe('here');
  await connections.close();
  await expect(connections.request(url, {})).rejects.toThrow('closed');
  expect(made).toBe(2);

  const broken = httpConnections(() => {
    throw new Error('no such file');
  });
  await expect(broken.request(url, {})).rejects.toThrow('no such file');
  await broken.close();
  server.close();
});
