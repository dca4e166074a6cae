import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { readReturn, type ReturnReading } from '@verbalis/core/returns';
import { ROOT } from './support/service.js';

// Samples of what comes back. `hand`: written by hand for shapes that no mail system here makes; the others: made by real ones
// (tests/fixtures/returns/README.md tells how).
const FOLDER = join(ROOT, 'tests/fixtures/returns');

function shown(reading: ReturnReading) {
  const { kind, token, originalMessageId, envelopeId, feedbackType, recipients, about } = reading;
  const of = ({ address, action, status, replyCode, cause, permanent }: ReturnReading['recipients'][number]) => ({
    address,
    action,
    status: status ?? null,
    replyCode: replyCode ?? null,
    cause,
    permanent,
  });
  const orNull = (value: string | undefined): string | null => value ?? null;
  return {
    kind,
    token: orNull(token),
    originalMessageId: orNull(originalMessageId),
    envelopeId: orNull(envelopeId),
    feedbackType: orNull(feedbackType),
    recipients: recipients.map(of),
    ...(kind === 'feedback' ? { about } : {}),
  };
}

const folders = readdirSync(FOLDER, { withFileTypes: true })
  .filter((dirent) => dirent.isDirectory())
  .map((dirent) => dirent.name);

describe.each(folders)('returns of %s', (folder) => {
  const expected = JSON.parse(readFileSync(join(FOLDER, folder, 'expected.json'), 'utf8')) as Record<string, unknown>;
  test.each(Object.keys(expected))('%s', (name) => {
    expect(shown(readReturn(readFileSync(join(FOLDER, folder, `${name}.eml`))))).toEqual(expected[name]);
  });
});
