import type { RetentionRule } from '../../kernel/index.js';
import { forgetSpending } from './spending-queries.js';

export function keyRetention(): RetentionRule[] {
  return [{ name: 'keySpending', step: forgetSpending }];
}
