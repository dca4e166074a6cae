// What a service sends to, in a process of its own: a relay of which one recipient domain is a tarpit, an API that never answers, a consumer,
// and consumers that never answer. Counts what has arrived.
import { createServer } from 'node:http';
import { startSmtpProvider } from '../../packages/simulators/dist/index.js';

const TARPIT_MS = 30_000;
const TAKEN = { code: 250, enhanced: '2.1.5', text: 'OK' };
const counts = { emails: 0, notifications: 0 };
const relay = await startSmtpProvider({
  name: 'relay',
  host: '127.0.0.1',
  port: 0,
  script: {},
  behaviour: (to) => (to.endsWith('@tarpit.example') ? { answer: TAKEN, afterMs: TARPIT_MS } : { answer: TAKEN }),
  returnsTo: { host: '127.0.0.1', port: 1 },
  reportAfterMs: 1000,
});
const consumer = createServer((request, response) => {
  request.resume();
  request.on('end', () => {
    counts.notifications += 1;
    response.end();
  });
});
const mute = createServer(() => undefined);
for (const server of [consumer, mute]) await new Promise((done) => server.listen(0, '127.0.0.1', done));
const taken = () => [...relay.seen.values()].reduce((sum, { address, taken: n }) => sum + (address.endsWith('@tarpit.example') ? 0 : n), 0);
process.on('message', () => process.send({ emails: taken(), notifications: counts.notifications }));
process.send({ relay: relay.port, consumer: consumer.address().port, mute: mute.address().port });
