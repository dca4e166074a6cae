import { expect, test } from '@jest/globals';
import { gate } from './gate.js';

test('never more at once than there are places, and all have their turn, also after failures', async () => {
  const inTurn = gate(3);
  let now = 0;
  let most = 0;
  const done: number[] = [];
  const all = Array.from({ length: 30 }, (_, i) =>
    inTurn(async () => {
      now += 1;
      most = Math.max(most, now);
      await new Promise((next) => setTimeout(next, i % 4));
      now -= 1;
      if (i % 5 === 0) throw new Error('no');
      done.push(i);
    }).catch(() => undefined),
  );
  await Promise.all(all);
  expect(most).toBe(3);
  expect(done).toHaveLength(24);
});
