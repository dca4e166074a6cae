import { expect, test } from '@jest/globals';
import type { Outcome } from '@verbalis/core/smtp';
import { admission } from './admission.js';
import { OPEN_GATE, type Gate } from './provider.js';

const TAKEN: Outcome = { kind: 'accepted', phase: 'content', reply: undefined };
const turn = (): Promise<void> => new Promise((done) => setImmediate(done));

/** An admission whose emails end when the test says so. */
function admitting(connections: number, own = { isPacedByDomain: true, isShared: false }) {
  const admit = admission(connections, own);
  const underWay = new Map<string, () => void>();
  return {
    underWay,
    add: (name: string, { urgent = true, domain = 'post.example', space = 'harbour', gate = OPEN_GATE } = {}): Promise<Outcome> =>
      admit({ request: { space, urgent, domain } }, gate, async () => {
        await new Promise<void>((end) => underWay.set(name, end));
        underWay.delete(name);
        return TAKEN;
      }),
  };
}

test('no domain, and nothing that can wait, gets all connections; what waits is admitted when one is free, the urgent first', async () => {
  const { add, underWay } = admitting(5);
  for (let i = 0; i < 10; i += 1) void add(`news ${i}`, { urgent: false });
  await turn();
  // Of five, one is for urgent email, and of the other four one for other domains.
  expect([...underWay.keys()]).toEqual(['news 0', 'news 1', 'news 2']);
  void add('other', { urgent: false, domain: 'home.example' });
  void add('code');
  await turn();
  expect(underWay.size).toBe(5);
  void add('second code', { domain: 'far.example' });
  underWay.get('news 0')?.();
  await turn();
  expect([...underWay.keys()]).toContain('second code');
  expect([...underWay.keys()]).not.toContain('news 3');
  underWay.get('news 1')?.();
  await turn();
  expect([...underWay.keys()]).toContain('news 3');
});

test('what gets no connection in time gives up, and nothing was sent', async () => {
  const { add, underWay } = admitting(1);
  void add('hanging');
  await turn();
  let hasGivenUp = false;
  const gate: Gate = {
    mayLeave: () => Promise.reject(new Error('asked')),
    reached: (step) => {
      hasGivenUp ||= step === 'gave-up';
    },
  };
  expect(await add('late', { gate })).toMatchObject({ kind: 'trouble', scope: 'message' });
  expect(hasGivenUp).toBe(true);
  // It does not take the place of those behind it.
  const next = add('next');
  underWay.get('hanging')?.();
  await turn();
  underWay.get('next')?.();
  expect(await next).toEqual(TAKEN);
});
