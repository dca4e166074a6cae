import { spawn, spawnSync } from 'node:child_process';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createClient } from '@verbalis/client';
import { OPERATOR, ROOT, startTestService, type TestService } from './support/service.js';

const NAME = 'saltmarsh-ferries.example';
let all: TestService;
beforeAll(async () => {
  all = await startTestService();
});
afterAll(() => all.stop());

function verbalis(...args: string[]): Promise<{ code: number | null; out: string; err: string }> {
  const child = spawn(process.execPath, [join(ROOT, 'packages/cli/bin/verbalis.js'), 'domains', ...args], {
    env: { PATH: process.env['PATH'], VERBALIS_URL: all.service.url, VERBALIS_KEY: OPERATOR },
  });
  const ran = { out: '', err: '' };
  child.stdout.on('data', (bytes: Buffer) => (ran.out += bytes.toString()));
  child.stderr.on('data', (bytes: Buffer) => (ran.err += bytes.toString()));
  return new Promise((done) => child.on('close', (code) => done({ ...ran, code })));
}

// Reads a zone with a library of somebody else, and says each record's strings.
const READ = `
import dns.zone, json, sys
zone = dns.zone.from_text(sys.stdin.read(), origin='${NAME}.', relativize=False, check_origin=False)
print(json.dumps({str(name): [[s.decode() for s in rdata.strings] for rdata in zone.find_rdataset(name, 'TXT')] for name in zone.nodes}))
`;

test('records as lines of a zone file: what others read of them is the text, in strings that a record can hold', async () => {
  const operator = createClient({ url: all.service.url, key: OPERATOR });
  const { records } = await operator.domains.add({ name: NAME });
  expect(Math.max(...records.map(({ text }) => text.length))).toBeGreaterThan(255);
  const { out, code } = await verbalis('records', NAME, '--format', 'zone');
  expect(code).toBe(0);
  const { stdout, stderr } = spawnSync('/usr/bin/python3', ['-c', READ], { input: out, encoding: 'utf8' });
  expect(stderr).toBe('');
  const read = JSON.parse(stdout) as Record<string, string[][]>;
  expect(Object.fromEntries(Object.entries(read).map(([name, [strings = []]]) => [name, strings.join('')]))).toEqual(
    Object.fromEntries(records.map(({ name, text }) => [`${name}.`, text])),
  );
  for (const [strings = []] of Object.values(read)) for (const string of strings) expect(string.length).toBeLessThanOrEqual(255);
});

test('the same as text and as JSON; a domain that is not there', async () => {
  expect((await verbalis('records', `${NAME.toUpperCase()}.`)).out).toContain('v=DKIM1; k=rsa; p=');
  expect(JSON.parse((await verbalis('records', NAME, '--format', 'json')).out)).toEqual({ records: expect.any(Array) });
  const wrong = await verbalis('records', 'sandmarsh.example');
  expect([wrong.code, wrong.err]).toEqual([2, expect.stringContaining(`There are: ${NAME}.`)]);
});
