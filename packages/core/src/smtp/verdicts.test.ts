import { expect, test } from '@jest/globals';
import { PHASES, verdictOf, verdictRow, VERDICTS, type Phase, type Reply } from './index.js';

const reply = (code: number, enhanced?: string, text = ''): Reply => ({ code, enhanced, lines: [text] });

// Phase, code, enhanced code, text: what it means, and for whom.
const cases: readonly [phase: Phase, code: number, enhanced: string | undefined, text: string, kind: string, more?: object][] = [
  ['greeting', 554, undefined, 'no SMTP service here', 'trouble', { scope: 'provider' }],
  ['hello', 550, '5.7.1', 'go away', 'trouble', { scope: 'provider' }],
  ['login', 535, '5.7.8', 'authentication failed', 'trouble', { scope: 'provider' }],
  ['sender', 530, '5.7.0', 'authentication required', 'trouble', { scope: 'provider', cause: 'authentication' }],
  ['sender', 550, '5.1.0', 'sender address rejected', 'trouble', { scope: 'sender' }],
  ['sender', 451, '4.3.0', 'later', 'trouble', { scope: 'sender' }],
  ['sender', 452, '4.3.1', 'insufficient system storage', 'trouble', { scope: 'provider' }],
  ['sender', 503, '5.5.1', 'bad sequence of commands', 'trouble', { scope: 'provider' }],
  ['sender', 552, undefined, 'message size exceeds fixed limit', 'trouble', { scope: 'message', cause: 'too-large' }],
  ['sender', 550, '5.3.4', 'too big', 'trouble', { scope: 'message', cause: 'too-large' }],
  ['sender', 421, '4.3.2', 'shutting down', 'trouble', { scope: 'provider' }],
  ['recipient', 550, '5.1.1', 'no such user', 'refused'],
  ['recipient', 550, undefined, 'no', 'refused'],
  ['recipient', 450, '4.2.0', 'greylisted', 'deferred'],
  ['recipient', 421, '4.7.0', 'too many connections', 'trouble', { scope: 'domain' }],
  ['recipient', 554, '5.7.1', '<x@far.example>: Relay access denied', 'trouble', { scope: 'domain' }],
  ['recipient', 550, '5.7.1', 'Unable to relay', 'trouble', { scope: 'domain' }],
  ['recipient', 550, '5.7.1', 'Authentication required', 'trouble', { scope: 'provider', cause: 'authentication' }],
  ['recipient', 550, '5.4.5', 'Daily sending quota exceeded', 'trouble', { scope: 'provider' }],
  ['recipient', 552, undefined, 'no room', 'deferred', { cause: 'mailbox-full' }],
  ['recipient', 552, '5.2.2', 'over quota', 'deferred', { cause: 'mailbox-full' }],
  ['recipient', 552, '5.2.3', 'longer than the mailbox allows', 'refused', { cause: 'too-large' }],
  ['recipient', 550, '5.3.4', 'too large', 'refused', { cause: 'too-large' }],
  ['recipient', 503, undefined, 'MAIL first', 'trouble', { scope: 'provider' }],
  ['recipient', 250, undefined, 'OK', 'trouble', { scope: 'provider' }],
  ['data', 250, undefined, 'OK', 'trouble', { scope: 'provider' }],
  ['data', 554, '5.6.0', 'no', 'refused'],
  ['content', 250, '2.0.0', 'queued', 'accepted'],
  ['content', 554, '5.7.1', 'looks like spam', 'refused'],
  ['content', 552, '5.3.4', 'too big', 'trouble', { scope: 'message', cause: 'too-large' }],
  ['content', 552, undefined, 'message size exceeds limit', 'trouble', { scope: 'message', cause: 'too-large' }],
  ['content', 552, undefined, 'mailbox is full', 'deferred', { cause: 'mailbox-full' }],
  ['content', 503, '5.5.1', 'BDAT without RCPT', 'trouble', { scope: 'provider' }],
  ['content', 451, '4.3.0', 'disk', 'deferred'],
  ['content', 452, '4.3.1', 'disk is full', 'trouble', { scope: 'provider' }],
];
test.each(cases)('at %s: %i %s "%s" is %s', (phase, code, enhanced, text, kind, more = {}) => {
  expect(verdictOf(phase, reply(code, enhanced, text))).toMatchObject({ kind, ...more });
});

test('every reply at every phase has a meaning; only content is accepted, and a trouble names what it concerns', () => {
  const enhanced = [undefined, '0.0', '1.1', '2.2', '2.3', '3.1', '3.4', '4.5', '5.4', '7.1'];
  for (const phase of PHASES)
    for (let code = 200; code < 600; code += 1)
      for (const detail of enhanced) {
        const row = verdictRow(phase, reply(code, detail === undefined ? undefined : `${Math.floor(code / 100)}.${detail}`));
        const isSound =
          row.kind === 'accepted'
            ? phase === 'content' && code < 300
            : row.kind === 'trouble'
              ? row.scope !== undefined
              : row.kind === 'refused'
                ? code >= 500
                : row.kind === 'deferred';
        if (!isSound) throw new Error(`${phase} ${code} ${detail ?? ''} is ${row.kind}`);
      }
});

test('every row decides something, and says why', () => {
  const details = [undefined, '0.0', '2.0', '2.2', '2.3', '3.0', '3.1', '3.4'];
  const words = ['', 'must authenticate', 'daily sending limit', 'relay access denied', 'mailbox full'];
  const codes = [...new Set(VERDICTS.flatMap(({ codes: own = [] }) => own.map((code) => Number(code.replace('xx', '50')))))];
  const used = new Set<unknown>();
  for (const phase of PHASES)
    for (const code of codes)
      for (const detail of details)
        for (const text of words)
          used.add(verdictRow(phase, reply(code, detail === undefined ? undefined : `${Math.floor(code / 100)}.${detail}`, text)));
  for (const row of VERDICTS) expect({ because: row.because, isUsed: used.has(row) }).toEqual({ because: row.because, isUsed: true });
  for (const row of VERDICTS) expect(row.because.length).toBeGreaterThan(20);
});
