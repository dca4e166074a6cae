import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { readReturn } from '@verbalis/core/returns';
import { costsAtMost } from './support/cpu.js';
import { LIMITS } from './support/limits.js';
import { ROOT } from './support/service.js';
import { scaled } from './support/scale.js';

const FOLDER = join(ROOT, 'tests/fixtures/returns');
const samples = readdirSync(FOLDER, { recursive: true, encoding: 'utf8' })
  .filter((text) => text.endsWith('.eml'))
  .map((text) => readFileSync(join(FOLDER, text)));

/** A small generator of chance that can be repeated. */
function chance(seed: number): (most: number) => number {
  let state = seed;
  return (most) => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return state % most;
  };
}

const PIECES = [
  '\r\n',
  '\r\n\r\n',
  ':',
  ';',
  '<',
  '>',
  '@',
  '--b',
  '5.1.1',
  '550 ',
  '550-',
  '=?utf-8?q?',
  '\0',
  '\u00FF',
  'a@b.example',
  'Final-Recipient: ',
  ' '.repeat(300),
];

function mutated(sample: Buffer, other: Buffer, any: (most: number) => number): Buffer {
  let bytes = Buffer.from(sample);
  for (let i = 0; i <= any(4); i += 1) {
    const at = any(bytes.length + 1);
    const until = Math.min(bytes.length, at + any(200));
    const insert =
      any(3) === 0
        ? other.subarray(any(other.length), any(other.length))
        : Buffer.from((PIECES[any(PIECES.length)] ?? '').repeat(1 + any(3)), 'latin1');
    const keeps = any(2) === 0;
    bytes = Buffer.concat([bytes.subarray(0, at), insert, bytes.subarray(keeps ? at : until)]);
  }
  return bytes;
}

test(
  'reports that were tampered with: nothing throws, nothing takes long',
  () => {
    const count = scaled(3000, 50_000);
    const any = chance(7);
    let slow = 0;
    for (let i = 0; i < count; i += 1) {
      const bytes = mutated(samples[any(samples.length)]!, samples[any(samples.length)]!, any);
      if (!costsAtMost(50, () => readReturn(bytes))) slow += 1;
    }
    process.stderr.write(`fuzz: ${count} reports, ${slow} above 50 ms\n`);
    expect(slow).toBe(0);
  },
  LIMITS.longTest,
);

test('what is huge or deep is read within bounds', () => {
  const nested = (depth: number): string => {
    let out = 'Subject: x\r\n\r\nend';
    for (let i = 0; i < depth; i += 1) out = `Content-Type: multipart/mixed; boundary=b${i}\r\n\r\n--b${i}\r\n${out}\r\n--b${i}--\r\n`;
    return out;
  };
  const report = samples[0]!;
  const cases: [string, Buffer][] = [
    ['20 MB of one line', Buffer.concat([report, Buffer.alloc(20 << 20, 'a')])],
    ['20 MB of lines', Buffer.concat([report, Buffer.alloc(20 << 20, 'an@address.example 550\r\n')])],
    [
      '20 MB of base64',
      Buffer.concat([
        Buffer.from('Content-Type: message/rfc822\r\nContent-Transfer-Encoding: base64\r\n\r\n'),
        Buffer.alloc(20 << 20, 'QUFB'),
      ]),
    ],
    ['a header of 1 MB', Buffer.concat([Buffer.from(`Subject: ${'x'.repeat(1 << 20)}\r\n`), report])],
    ['a header of many folds', Buffer.concat([Buffer.from(`Subject: x\r\n${' y\r\n'.repeat(200_000)}`), report])],
    ['1000 deep', Buffer.from(nested(1000))],
    ['1000 emails in emails', Buffer.from('Content-Type: message/rfc822\r\n\r\n'.repeat(1000))],
    ['many boundaries', Buffer.from(`Content-Type: multipart/mixed; boundary=b\r\n\r\n${'--b\r\n\r\nx\r\n'.repeat(100_000)}`)],
    [
      'many recipients',
      Buffer.from(
        `Content-Type: message/delivery-status\r\n\r\n${'Final-Recipient: rfc822; a@b.example\r\nAction: failed\r\n\r\n'.repeat(100_000)}`,
      ),
    ],
  ];
  for (const [name, bytes] of cases) {
    expect([name, costsAtMost(3000, () => readReturn(bytes))]).toEqual([name, true]);
  }
});
