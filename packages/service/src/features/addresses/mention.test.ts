import { expect, test } from '@jest/globals';
import { ERASED, mentionOf } from './mention.js';

const { isIn, erased } = mentionOf('sa@x.example');

test.each(['sa@x.example', '<SA@X.example>', '{"to":"sa@x.example"}', 'to sa@x.example.', 'sa@x.example, and', '"sa@x.example"@y'])(
  '%s holds it',
  (text) => {
    expect(isIn(text)).toBe(true);
    expect(erased(text)).not.toMatch(/sa@x/i);
    expect(erased(text)).toContain(ERASED);
  },
);

test.each(['asa@x.example', 'x.sa@x.example', 'sa@x.example.org', 'sa@x.example-more', 'sa@xaexample', 'o+sa@x.example'])(
  '%s is another one',
  (text) => {
    expect(isIn(text)).toBe(false);
    expect(erased(text)).toBe(text);
  },
);
