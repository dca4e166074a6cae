import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { createClient, type Client } from '@verbalis/client';
import { startChild } from './support/child.js';
import { movableClock, type MovableClock } from './support/clock.js';
import { booking, DEMO_FOLDER, OPERATOR, smallMailFolder, startTestService, temporaryFolder } from './support/service.js';
import { smallDisk } from './support/small-disk.js';

// Signing in while something else fails: the clock, the disk, the process.

const [MINUTE, HOUR, YEAR] = [60_000, 3_600_000, 365 * 86_400_000];
const tokenOf = (url: string): string => url.split('#token=')[1] ?? '';

/** Asks as the console does. @returns status, problem and cookie */
async function asked(url: string, path: string, { body, cookie = '' }: { body?: unknown; cookie?: string } = {}) {
  const answer = await fetch(url + path, {
    method: body === undefined ? 'GET' : 'POST',
    headers: { 'verbalis-console': '1', cookie, ...(body === undefined ? {} : { 'content-type': 'application/json' }) },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  const { type = '' } = (await answer.json()) as { type?: string };
  return {
    status: answer.status,
    problem: type.replace('urn:verbalis:problem:', ''),
    cookie: answer.headers.getSetCookie()[0]?.split(';')[0] ?? '',
  };
}
const signIn = (url: string, link: string) => asked(url, '/console/session', { body: { token: tokenOf(link) } });
const session = async (url: string, cookie: string) => (await asked(url, '/console/session', { cookie })).status;

describe('a clock that jumps', () => {
  /** With a service that goes by a clock which can be moved, and a client of its operator. */
  async function withClock(run: (parts: { clock: MovableClock; url: string; operator: Client }) => Promise<void>): Promise<void> {
    const clock = movableClock(Date.UTC(2026, 2, 14, 9));
    const all = await startTestService({ clock });
    try {
      await run({ clock, url: all.service.url, operator: createClient({ url: all.service.url, key: OPERATOR }) });
    } finally {
      await all.stop();
    }
  }

  test('what was made while it was ahead does not work for as long as it was ahead', () =>
    withClock(async ({ clock, url, operator }) => {
      const before = (await signIn(url, (await operator.session.link()).url)).cookie;
      clock.jump(YEAR);
      const [used, unused] = [(await operator.session.link()).url, (await operator.session.link()).url];
      const during = (await signIn(url, used)).cookie;
      expect(await session(url, during)).toBe(200);
      clock.jump(-YEAR);
      expect(await signIn(url, unused)).toMatchObject({ status: 401, problem: 'sign-in' });
      expect(await session(url, during)).toBe(401);
      expect(await session(url, before)).toBe(200);
      expect((await signIn(url, (await operator.session.link()).url)).status).toBe(200);
    }));

  test('a time server that sets it back by some minutes signs nobody out', () =>
    withClock(async ({ clock, url, operator }) => {
      const link = (await operator.session.link()).url;
      const { cookie } = await signIn(url, (await operator.session.link()).url);
      clock.jump(-4 * MINUTE);
      expect(await session(url, cookie)).toBe(200);
      expect((await signIn(url, link)).status).toBe(200);
    }));

  test('forward beyond its end: a link is too old', () =>
    withClock(async ({ clock, url, operator }) => {
      const link = (await operator.session.link()).url;
      clock.jump(HOUR);
      expect(await signIn(url, link)).toMatchObject({ status: 401, problem: 'sign-in' });
    }));
});

test('a full disk: a link that could not be used works when there is room again', async () => {
  const disk = smallDisk(12);
  const config = join(disk.path, 'verbalis.yaml');
  writeFileSync(
    config,
    `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: fatal }\ndatabaseFile: ${disk.path}/v.sqlite
spaces: { harbour: { mode: capture, mailFolder: ${DEMO_FOLDER} } }\n`,
  );
  const child = await startChild(config);
  try {
    const { url } = child;
    const client = createClient({ url, key: OPERATOR, space: 'harbour', tries: 1 });
    const { cookie } = await signIn(url, (await client.session.link()).url);
    // More than one: a disk that refuses an email may have a page left for a session.
    const links: string[] = [];
    for (let n = 0; n < 40; n += 1) links.push((await client.session.link()).url);
    expect(cookie).not.toBe('');
    // Until nothing can be written any more.
    disk.fill(6_000_000);
    let last: unknown;
    for (let n = 0; n < 2000 && last === undefined; n += 1)
      last = await client.messages.send(booking(`guest${n}@post.example`)).then(
        () => undefined,
        (error: unknown) => error,
      );
    expect(last).toMatchObject({ problem: { status: 503 } });
    let tried = await signIn(url, links[0]!);
    while (tried.status === 200 && links.length > 1) {
      links.shift();
      tried = await signIn(url, links[0]!);
    }
    expect(tried).toMatchObject({ status: 503, problem: 'store-unavailable' });
    // Who is signed in stays so.
    expect(await session(url, cookie)).toBe(200);
    disk.fill(0);
    expect((await signIn(url, links[0]!)).status).toBe(200);
    expect(await signIn(url, links[0]!)).toMatchObject({ status: 401 });
  } finally {
    await child.end('SIGKILL');
    await disk.remove();
  }
});

test('a service that is killed: a link that was not used works in the next process, one that was used does not', async () => {
  const folder = temporaryFolder();
  const config = join(folder.path, 'verbalis.yaml');
  writeFileSync(
    config,
    `listen: { port: 0 }\nreturns: { port: 0 }\nlog: { level: fatal }\ndatabaseFile: ${folder.path}/v.sqlite
spaces: { harbour: { mode: capture, mailFolder: ${smallMailFolder(folder.path)} } }\n`,
  );
  let child = await startChild(config);
  try {
    const links = [(await child.client.session.link()).url, (await child.client.session.link()).url];
    // Asked for many times together: one session, whatever happens.
    const answers = await Promise.all(Array.from({ length: 20 }, () => signIn(child.url, links[0]!)));
    expect(answers.filter(({ status }) => status === 200)).toHaveLength(1);
    const cookie = answers.find(({ status }) => status === 200)?.cookie ?? '';
    await child.end('SIGKILL');
    child = await startChild(config);
    expect(await session(child.url, cookie)).toBe(200);
    expect((await signIn(child.url, links[0]!)).status).toBe(401);
    expect((await signIn(child.url, links[1]!)).status).toBe(200);
  } finally {
    await child.end('SIGKILL');
    folder.remove();
  }
});
