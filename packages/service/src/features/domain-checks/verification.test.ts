import { expect, test } from '@jest/globals';
import { comparison } from './verification.js';

test.each([
  ['mail.saltmarsh-ferries.example', 'saltmarsh-ferries.example', undefined],
  // The suffix list knows "co.uk"; the DNS may show a record only further up, or further down.
  ['news.saltmarsh-ferries.co.uk', 'saltmarsh-ferries.co.uk', undefined],
  ['news.saltmarsh-ferries.co.uk', 'news.saltmarsh-ferries.co.uk', 'saltmarsh-ferries.co.uk'],
  ['news.saltmarsh-ferries.co.uk', undefined, undefined],
])('%s: the DNS finds %s, the public suffix list %s', (domain, walked, listed) => {
  const results = comparison(domain, walked);
  expect(results.length).toBe(listed === undefined ? 0 : 1);
  if (listed !== undefined) expect(results[0]?.sentence).toContain(`which some receivers still use, ${listed} does`);
});
