import { expect, test } from '@jest/globals';
import { Budget, BudgetExceeded } from './budget.js';

test('steps and bytes are counted to the bound and not past it', () => {
  const budget = new Budget('The filter', { steps: 3, bytes: 10 });
  budget.step(3);
  expect(() => budget.step()).toThrow('The filter took more than 3 steps.');
  budget.spend(10);
  expect(() => budget.spend(1)).toThrow('The filter made more than 10 bytes.');
});

test('time is looked at now and then, by the clock that is given', () => {
  let now = 0;
  const budget = new Budget('The profile', { ms: 50 }, () => now);
  budget.step(1000);
  now = 51;
  const steps = (): number => {
    let n = 0;
    try {
      for (;;) {
        budget.step();
        n += 1;
      }
    } catch (error) {
      expect(error).toBeInstanceOf(BudgetExceeded);
      expect(error).toMatchObject({ bound: 'time', message: 'The profile took longer than 50 ms.' });
    }
    return n;
  };
  expect(steps()).toBeLessThan(257);
});

test('without bounds nothing is refused', () => {
  const budget = new Budget('Anything', {});
  budget.step(1e9);
  budget.spend(1e12);
});
