import { cpSync, mkdirSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { runHere } from './support/cli.js';
import { OPERATOR, ROOT, startTestService, temporaryFolder, type TestService } from './support/service.js';

// What people do wrong in their first days, and what the command line answers: what is wrong, where, and what to do. No stack traces, no words of
// libraries, and the exit status of the reference.

const SAMPLE = join(ROOT, 'demo/mail/templates/refund-receipt/samples/typical.json');

/** What was called, its exit status, and what it must print. SERVICE, PAGE, SAMPLE and OPERATOR stand for what the test has. */
const MISTAKES: readonly (readonly [args: string, status: number, ...words: string[]])[] = [
  // Commands, arguments, options.
  ['sned x', 2, 'There is no command "sned"', 'Did you mean send?'],
  ['messages', 2, 'Usage: verbalis messages [options] [command]'],
  ['messages sho x', 2, 'There is no command "sho"', 'Did you mean show?'],
  ['messages show', 2, 'The argument <message> is missing.', 'Usage: verbalis messages show [options] <message>'],
  ['messages list --lmit 3', 2, 'There is no option --lmit.', 'Did you mean --limit?'],
  ['messages list --limit', 2, 'The option --limit <n> needs a value.'],
  ['messages list --limit x', 2, '"x" is not a valid value of --limit <n>.', 'whole number above 0'],
  ['messages list --all --cursor m1', 2, 'Give --all or --cursor, not both.'],
  ['messages list --cursor garbage', 4, 'Use nextCursor of the page before'],
  ['messages list --state faild', 4, 'state must be one of queued, delayed, accepted'],
  ['messages show m0', 4, 'There is no such message'],
  ['check a b', 2, 'There are too many arguments.'],
  ['keys add shop', 2, 'The option --scopes <list> is required.'],
  ['completion ksh', 2, '"ksh" is not a valid argument.', 'bash, zsh, fish'],
  ['figures --by color', 2, '"color" is not a valid value of --by <what>.', 'template, topic'],
  ['figures --days many', 2, '"many" is not a valid number of days.'],
  ['status --csv', 2, 'There is no option --csv.'],
  // Where the service is, and with which key.
  ['messages list --url localhost:8620', 2, '"localhost:8620" is not a valid service address.', 'http://127.0.0.1:8620'],
  ['messages list --url http://127.0.0.1:9', 3, 'No answer from http://127.0.0.1:9', 'verbalis serve'],
  ['messages list --url PAGE', 3, 'is not a Verbalis service', 'status 200, text/html', 'VERBALIS_URL'],
  ['status --url PAGE', 3, 'is not a Verbalis service'],
  ['messages list --key wrong', 4, 'This key is not known', 'keys add'],
  ['messages list --key-file nofile', 2, 'The key file nofile cannot be read: it does not exist.'],
  ['messages list --key-file two-keys', 2, 'must hold one key and nothing else'],
  ['messages list --space drydock', 4, 'This key is of another space', 'harbour'],
  ['messages list --key OPERATOR', 4, 'This request names no space', '--space', 'harbour, drydock'],
  ['keys add shop --scopes send', 4, 'needs the scope "manage"', 'It has: send, read.'],
  ['providers test relay', 4, 'Only the operator of the service may do that', 'VERBALIS_OPERATOR_SECRET'],
  // Sending.
  ['send', 2, 'No recipient is named.', '--to ADDRESS'],
  ['send --to asa@post.example', 2, 'No template is named.', '--subject TEXT'],
  ['send refund-receipt --to asa', 4, 'to[0] is not a valid address', 'name@host.example'],
  ['send refund-recipt --to asa@post.example', 4, 'template: there is no template "refund-recipt"', 'Did you mean "refund-receipt"?'],
  ['send refund-receipt --to asa@post.example', 4, 'is missing'],
  ['send refund-receipt --to asa@post.example --data nofile', 2, 'The file nofile cannot be read: it does not exist.'],
  ['send refund-receipt --to asa@post.example --data mail', 2, 'The file mail cannot be read: it is a folder.'],
  ['send refund-receipt --to asa@post.example --data broken.json', 2, 'broken.json is not JSON: line 1, column 9'],
  ['send refund-receipt --to asa@post.example --data SAMPLE --subject Hi', 2, 'for an email without a template'],
  ['send refund-receipt --to asa@post.example --data SAMPLE --from x@other.example', 4, 'domain other.example', 'senders add'],
  ['send refund-receipt --to asa@post.example --data SAMPLE --not-before soon', 4, 'notBefore is not a valid time', '2026-12-01T09:00:00Z'],
  ['send refund-receipt --to asa@post.example --data SAMPLE --locale zz', 4, 'there is no language "zz"'],
  ['send --to asa@post.example --subject Hi', 4, 'text is missing. Give html, text or both.'],
  ['send --to asa@post.example --subject Hi --topic nws --text empty.json', 4, 'there is no topic "nws"', 'Known here: bookings'],
  ['signal nothing.here --data empty.json', 0, 'No rule of the edition in use names "nothing.here"'],
  ['captured wait --to asa@post.example --timeout soon', 2, '"soon" is not a valid number of seconds.'],
  ['captured wait --to asa@post.example --timeout 0', 1, 'Nothing was captured in this space at all.'],
  ['captured clear', 2, 'There is no terminal to ask on.', 'Give --yes'],
  ['queue hold', 2, 'Say what is meant', '--all for everything'],
  ['demo --stay', 2, '--stay needs --cluster.'],
  ['prove --logs folder', 2, '--logs needs --cluster.'],
  ['bulk-sends start pier-bulletin', 2, 'Name the recipients in one way.'],
  // Mail folders.
  ['check nowhere', 2, 'The mail folder nowhere cannot be read: it does not exist.', 'mail.yaml'],
  ['check broken.json', 2, 'The mail folder broken.json cannot be read: it is not a folder.'],
  ['check .', 1, 'There is no mail.yaml here, so this is not a mail folder.'],
  ['init mail', 2, 'mail is not empty.', 'Name a folder that does not exist yet.'],
  ['render mail loan-du', 2, 'There is no template "loan-du" in mail.', 'Did you mean "loan-due"?'],
  ['render mail loan-due --sample nope', 2, 'has no sample "nope"', 'typical'],
  ['render mail loan-due --part pdf', 2, '"pdf" is not a valid value of --part <part>.'],
  ['render mail loan-due --locale english', 2, 'there is no language "english"'],
  // Files that are written.
  ['types mail --out new/folder/types.ts', 0, 'written to new/folder/types.ts'],
  ['types mail --out two-keys/types.ts', 2, 'The file two-keys/types.ts cannot be written: it is a file.'],
  ['types mail --out empty', 2, 'The file empty cannot be written: it is a folder.'],
  ['types mail --format json-schema --out two-keys', 2, 'cannot be written'],
  ['schemas two-keys', 2, 'cannot be written'],
  ['suppressions export --out empty', 2, 'The file empty cannot be written: it is a folder.'],
  ['init two-keys/mail', 2, 'The folder two-keys/mail cannot be made: it is not a folder.'],
  ['init two-keys', 2, 'two-keys is not empty.'],
  ['import page.html --into two-keys/page', 2, 'two-keys/page is not the folder of a template'],
  // Configuration.
  ['serve --config nofile.yaml', 2, 'does not exist. Name another with --config FILE.'],
  ['config check broken.yaml', 1, 'The configuration has errors', 'line 2'],
  ['config check typo.yaml', 1, 'listen.prot: is not a setting. Did you mean "port"?'],
  ['config check port.yaml', 1, 'listen.port: must be at most 65535.'],
  ['config check no-route.yaml', 1, 'is empty, but the space delivers', 'mode: capture'],
  ['config check no-folder.yaml', 1, 'spaces.a.mailFolder: The mail folder', 'it does not exist'],
  ['config check rely.yaml', 1, 'names no provider: "rely". Did you mean "relay"?'],
  ['demo --port 1', 2, '"1" is not a port that a demo can begin at.'],
];

const folder = temporaryFolder();
let all: TestService;
const page = createServer((_request, response) => response.setHeader('content-type', 'text/html').end('<h1>An app</h1>'));
const ran = new Map<string, { status: number | null; text: string }>();

async function call(args: string): Promise<{ status: number | null; text: string }> {
  const stand = new Map([
    ['SAMPLE', SAMPLE],
    ['OPERATOR', OPERATOR],
    ['PAGE', `http://127.0.0.1:${(page.address() as AddressInfo).port}`],
  ]);
  const { code, out, notes } = await runHere(
    args.split(' ').map((word) => stand.get(word) ?? word),
    { cwd: folder.path, env: { PATH: process.env['PATH'], VERBALIS_URL: all.service.url, VERBALIS_KEY: all.key } },
  );
  return { status: code, text: out + notes };
}

beforeAll(async () => {
  all = await startTestService({});
  await new Promise<void>((ready) => page.listen(0, '127.0.0.1', ready));
  const write = (name: string, text: string): void => writeFileSync(join(folder.path, name), text);
  const relay = 'providers: { relay: { kind: smtp, host: r.example, port: 25 } }\n';
  cpSync(join(ROOT, 'packages/cli/starter'), join(folder.path, 'mail'), { recursive: true });
  mkdirSync(join(folder.path, 'empty'));
  write('empty.json', '{}');
  write('broken.json', '{"a": 1,}');
  write('two-keys', 'one\ntwo\n');
  write('broken.yaml', 'spaces: [\n');
  write('page.html', '<h1>Harbour</h1>');
  write('typo.yaml', 'listen: { prot: 8620 }\nspaces: {}\n');
  write('port.yaml', 'listen: { port: 86200 }\nspaces: {}\n');
  write('no-route.yaml', 'spaces: { a: { mode: deliver } }\n');
  write('no-folder.yaml', `${relay}spaces: { a: { mode: deliver, mailFolder: nowhere, route: [relay] } }\n`);
  write('rely.yaml', `${relay}spaces: { a: { mode: deliver, mailFolder: mail, route: [rely] } }\n`);
  const waiting = [...MISTAKES];
  // As many at once as the machine has use for.
  const work = async (): Promise<void> => {
    for (let next = waiting.shift(); next !== undefined; next = waiting.shift()) ran.set(next[0], await call(next[0]));
  };
  await Promise.all([work(), work(), work()]);
});
afterAll(async () => {
  page.close();
  await all.stop();
  folder.remove();
});

test.each(MISTAKES.map(([args, status, ...words]) => ({ args, status, words })))('verbalis $args', ({ args, status, words }) => {
  const { status: ended, text } = ran.get(args) ?? { status: null, text: '' };
  for (const word of words) expect(text).toContain(word);
  expect(ended).toBe(status);
  expect(text).not.toMatch(/^ +at .*:\d+:\d+\)?$|ENOENT|ENOTDIR|EISDIR|undefined|\[object|(?<!here )is no [a-z]+\b/m);
  // A sentence or two, not a wall.
  if (status !== 1) expect(text.split('\n').length).toBeLessThan(30);
});
