import { connect } from 'node:net';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { addressText, isFault, parseAddress } from '@verbalis/core/mime';
import { DEMO_FOLDER, startTestService, until, type TestService } from './support/service.js';
import { scaled } from './support/scale.js';

// What was answered with 250 or 202 has as many deliveries as it has distinct recipients, and each of them ends.

let all: TestService;
beforeAll(async () => {
  all = await startTestService({
    script: { 'refused@post.example': 'refuse', 'later@post.example': 'defer-twice', 'bounces@post.example': 'report-failed' },
    change: {
      submission: { port: 0 },
      spaces: { harbour: { mode: 'deliver', mailFolder: DEMO_FOLDER, route: ['relay'], runaway: false } },
    },
  });
});
afterAll(() => all.stop());

const domain = fc.constantFrom(
  'post.example',
  'POST.example',
  'post.example.',
  'bücher.example',
  'xn--bcher-kva.example',
  '[127.0.0.1]',
  'nodots',
  '',
);
const local = fc.constantFrom('asa', 'Asa', 'refused', 'later', 'bounces', '"a b"', '"a>b"', 'a b', 'ünï', 'a..b', '', '@one.example:asa');
const recipient = fc.tuple(local, domain).map(([name, host]) => `${name}@${host}`);
const recipients = fc.array(recipient, { minLength: 1, maxLength: 6 });
const ENDS = new Set(['accepted', 'delivered', 'failed', 'withheld', 'expired', 'canceled', 'complained']);

/** Each message with its deliveries, once all of them have ended. */
async function ended(id: string): Promise<string[]> {
  return until(async () => {
    const { deliveries } = await all.client.messages.get(id);
    return deliveries.every(({ state }) => ENDS.has(state)) ? deliveries.map(({ address }) => address) : undefined;
  });
}

/** Says all of it at once. @returns which recipients were taken, and the id where the email was accepted */
function submit(to: readonly string[]): Promise<{ readonly taken: string[]; readonly id: string | undefined }> {
  return new Promise((done) => {
    const socket = connect(all.service.submissionPort ?? 0, '127.0.0.1');
    let said = '';
    socket.on('data', (bytes: Buffer) => {
      said += bytes.toString();
      // The content is sent only where it is asked for.
      if (said.includes('354 ') && !said.includes('Accepted') && !sent) {
        sent = true;
        socket.write('From: harbour@saltmarsh-ferries.example\r\nSubject: x\r\n\r\nx\r\n.\r\nQUIT\r\n');
      } else if (/^503 .*recipient first/m.test(said) && !sent) {
        sent = true;
        socket.write('QUIT\r\n');
      }
    });
    let sent = false;
    socket.on('close', () => {
      const codes = [...said.matchAll(/^(\d{3}) (.*)$/gm)].map(([, code]) => Number(code)).slice(4);
      done({ taken: to.filter((_address, i) => codes[i] === 250), id: /Accepted as (\S+)/.exec(said)?.[1] });
    });
    const login = `EHLO app.example\r\nAUTH PLAIN ${Buffer.from(`\0app\0${all.key}`).toString('base64')}\r\n`;
    socket.write(`${login}MAIL FROM:<a@b.example>\r\n${to.map((address) => `RCPT TO:<${address}>\r\n`).join('')}DATA\r\n`);
  });
}

/** The addresses that stand for different mailboxes, as an envelope writes them. */
function distinct(addresses: readonly string[]): string[] {
  const read = addresses.map((text) => parseAddress(text.replace(/^@[^:]*:/, '').replace(/\.$/, '')));
  return [...new Set(read.flatMap((address) => (isFault(address) ? [] : [addressText(address)])))].sort();
}

test('by SMTP', async () => {
  await fc.assert(
    fc.asyncProperty(recipients, async (to) => {
      const { taken, id } = await submit(to);
      expect(distinct(taken)).toHaveLength(new Set(distinct(taken)).size);
      if (id === undefined) expect(taken).toEqual([]);
      else expect((await ended(id)).sort()).toEqual(distinct(taken));
    }),
    { numRuns: scaled(15, 60) },
  );
});

test('by HTTP', async () => {
  await fc.assert(
    fc.asyncProperty(recipients, async (to) => {
      const response = await fetch(`${all.service.url}/v1/messages`, {
        method: 'POST',
        headers: { authorization: `Bearer ${all.key}`, 'content-type': 'application/json' },
        body: JSON.stringify({ to, subject: 'x', text: 'x' }),
      });
      const answer = (await response.json()) as { id: string; problems?: unknown[] };
      if (response.status === 202) expect((await ended(answer.id)).sort()).toEqual(distinct(to));
      else {
        expect(response.status).toBe(422);
        expect(answer.problems!.length).toBeGreaterThan(0);
      }
    }),
    { numRuns: scaled(15, 60) },
  );
});
