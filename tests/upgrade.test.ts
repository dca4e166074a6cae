import { copyFileSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gunzipSync } from 'node:zlib';
import { expect, test } from '@jest/globals';
import { createClient } from '@verbalis/client';
import { spawnCli } from './support/cli.js';
import { movableClock } from './support/clock.js';
import { OPERATOR, ROOT, startTestService } from './support/service.js';

// The database of every released version is opened by this one: nothing is lost, nothing is in doubt, and the service goes on with it.
// scripts/release-fixture.mjs made each when its version was released; none is ever made again.

const RELEASES = join(ROOT, 'tests/fixtures/releases');

interface Expected {
  readonly at: string;
  /** How many changes of the layout it has had. */
  readonly layouts: number;
  readonly key: string;
  readonly edition: number;
  readonly suppressed: readonly string[];
  readonly captured: readonly string[];
  readonly messages: readonly { readonly id: string }[];
}

const drizzle = join(ROOT, 'packages/service/drizzle');
const layouts = (JSON.parse(readFileSync(join(drizzle, 'meta/_journal.json'), 'utf8')) as { entries: { when: number }[] }).entries;

test.each(readdirSync(RELEASES))('the database of %s', async (version) => {
  const expected = JSON.parse(readFileSync(join(RELEASES, version, 'expected.json'), 'utf8')) as Expected;
  const bytes = gunzipSync(readFileSync(join(RELEASES, version, 'verbalis.sqlite.gz')));
  const clock = movableClock(Date.parse(expected.at));
  const all = await startTestService({
    clock,
    before: (folder) => {
      writeFileSync(join(folder, 'verbalis.sqlite'), bytes);
      copyFileSync(join(RELEASES, version, 'verbalis.secrets.json'), join(folder, 'verbalis.secrets.json'));
    },
  });
  const database = join(all.folder, 'verbalis.sqlite');
  try {
    const [harbour, drydock] = ['harbour', 'drydock'].map((space) => createClient({ url: all.service.url, key: OPERATOR, space }));
    for (const { id, ...message } of expected.messages) expect(await harbour?.messages.get(id)).toMatchObject({ id, ...message });
    expect((await harbour?.suppressions.list())?.suppressions.map(({ address }) => address).sort()).toEqual(expected.suppressed);
    expect((await drydock?.captured.list())?.captured.map(({ to }) => to)).toEqual(expected.captured);
    expect((await harbour?.keys.list())?.keys.map(({ id }) => id)).toContain(expected.key);
    // Private keys are still read: the next email is signed.
    const sample: unknown = JSON.parse(readFileSync(join(ROOT, 'demo/mail/templates/refund-receipt/samples/typical.json'), 'utf8'));
    await all.client.messages.send({ template: 'refund-receipt', to: ['new@post.example'], data: sample as Record<string, unknown> });
    clock.busy = all.service.busy;
    await clock.move(1000);
    const mail = all.simulator.seen.get('new@post.example')?.mail;
    expect(Buffer.from(mail ?? '').toString('latin1')).toMatch(/^DKIM-Signature: .*d=saltmarsh-ferries\.example/m);
    // Where the layout has changed since, the file as it was is beside it.
    const copies = readdirSync(all.folder).filter((name) => name.includes('before-upgrade') && !name.endsWith('.json'));
    expect(copies).toHaveLength(layouts.length > expected.layouts ? 1 : 0);
    const { code, out } = await spawnCli(['integrity', database, '--json']);
    expect([code, JSON.parse(out)]).toEqual([0, expect.objectContaining({ ok: true })]);
  } finally {
    await all.stop();
  }
});
