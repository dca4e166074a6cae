import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { createMessageConnection, StreamMessageReader, StreamMessageWriter, type MessageConnection } from 'vscode-jsonrpc/node.js';
import { DEMO_FOLDER, ROOT, temporaryFolder } from './support/service.js';

interface Range {
  readonly start: { readonly line: number; readonly character: number };
  readonly end: { readonly line: number; readonly character: number };
}
interface Published {
  readonly uri: string;
  readonly diagnostics: readonly { readonly range: Range; readonly code: string; readonly severity: number; readonly message: string }[];
}

const { path, remove } = temporaryFolder();
const mail = join(path, 'mail');
const file = join(mail, 'templates/booking-confirmed/message.md');
const uri = pathToFileURL(file).href;
let child: ChildProcess;
let connection: MessageConnection;
const published: Published[] = [];
const listeners = new Set<() => void>();

beforeAll(async () => {
  cpSync(DEMO_FOLDER, mail, { recursive: true });
  child = spawn(process.execPath, [join(ROOT, 'packages/cli/bin/verbalis.js'), 'lsp'], { stdio: ['pipe', 'pipe', 'inherit'] });
  if (child.stdout === null || child.stdin === null) throw new Error('There are no pipes.');
  connection = createMessageConnection(new StreamMessageReader(child.stdout), new StreamMessageWriter(child.stdin));
  connection.onNotification('textDocument/publishDiagnostics', (params: Published) => {
    published.push(params);
    for (const listener of listeners) listener();
  });
  connection.listen();
  const answer = await connection.sendRequest<{ capabilities: object }>('initialize', {
    processId: process.pid,
    rootUri: null,
    capabilities: {},
  });
  expect(answer.capabilities).toMatchObject({ hoverProvider: true, definitionProvider: true, documentFormattingProvider: true });
  await connection.sendNotification('initialized', {});
});

afterAll(async () => {
  await connection.sendRequest('shutdown');
  const ended = once(child, 'exit');
  await connection.sendNotification('exit');
  expect((await ended)[0]).toBe(0);
  connection.dispose();
  remove();
});

/** The problems of a file, the next time that they are as wanted. */
async function problemsOf(wanted: (codes: readonly string[]) => boolean, of = uri): Promise<Published['diagnostics']> {
  for (;;) {
    const last = published.findLast((params) => params.uri === of);
    if (last !== undefined && wanted(last.diagnostics.map(({ code }) => code))) return last.diagnostics;
    await new Promise<void>((done) => {
      const listener = (): void => {
        listeners.delete(listener);
        done();
      };
      listeners.add(listener);
    });
  }
}

let version = 0;
const text = (): string => readFileSync(file, 'utf8');
async function open(content: string): Promise<void> {
  version += 1;
  await connection.sendNotification('textDocument/didOpen', { textDocument: { uri, languageId: 'markdown', version, text: content } });
}
async function type(content: string): Promise<void> {
  version += 1;
  await connection.sendNotification('textDocument/didChange', { textDocument: { uri, version }, contentChanges: [{ text: content }] });
}
const close = (): Promise<void> => connection.sendNotification('textDocument/didClose', { textDocument: { uri } });

/** Line and column of what follows a text in the source. */
function after(content: string, what: string): { line: number; character: number } {
  const before = content.slice(0, content.indexOf(what) + what.length).split('\n');
  return { line: before.length - 1, character: before.at(-1)?.length ?? 0 };
}

test('problems are shown as they are typed, in the file on the disk, and go away', async () => {
  await open(text());
  const broken = text().replace('{{ booking.reference }}', '{{ booking.referenc }}');
  await type(broken);
  const [first] = await problemsOf((codes) => codes.includes('unknown-field'));
  expect(first).toMatchObject({
    code: 'unknown-field',
    severity: 1,
    message: '"booking" has no field "referenc".\nDid you mean "reference"?',
  });
  expect(first?.range.start).toEqual(after(broken, '{{ booking.'));
  await type(text());
  expect(await problemsOf((codes) => codes.length === 0)).toEqual([]);

  // Another program changes a layout that this template uses.
  const layout = join(mail, 'layouts/quay.md');
  const layoutUri = pathToFileURL(layout).href;
  const before = readFileSync(layout, 'utf8');
  writeFileSync(layout, `${before}\n{{ nothing.here }}\n`);
  await problemsOf((codes) => codes.includes('unknown-field'), layoutUri);
  writeFileSync(layout, before);
  await problemsOf((codes) => codes.length === 0, layoutUri);
  await close();
});

test('fields, hover and definition come with their types', async () => {
  const content = text().replace('{{ booking.reference }}', '{{ booking. }}');
  await open(content);
  const position = after(content, '{{ booking.');
  const items = await connection.sendRequest<{ label: string; textEdit: { range: Range; newText: string } }[]>('textDocument/completion', {
    textDocument: { uri },
    position,
  });
  expect(items.map(({ label }) => label)).toEqual(expect.arrayContaining(['reference', 'fares', 'total']));
  expect(items[0]?.textEdit.range).toEqual({ start: position, end: position });
  await type(text());
  const at = { textDocument: { uri }, position: after(text(), '{{ booking.ref') };
  const hover = await connection.sendRequest<{ contents: { value: string } }>('textDocument/hover', at);
  expect(hover.contents.value).toContain('**reference**: a text');
  const [definition] = await connection.sendRequest<{ uri: string; range: Range }[]>('textDocument/definition', at);
  const schema = join(mail, 'templates/booking-confirmed/data.schema.json');
  expect(definition?.uri).toBe(pathToFileURL(schema).href);
  expect(readFileSync(schema, 'utf8').split('\n')[definition?.range.start.line ?? 0]).toContain('"reference"');
  await close();
});

test('a rename changes schema, samples, sources and rules, or says why it does not', async () => {
  await open(text());
  const at = { textDocument: { uri }, position: after(text(), '{{ booking.ref') };
  expect(await connection.sendRequest('textDocument/prepareRename', at)).toMatchObject({ placeholder: 'reference' });
  const { changes } = await connection.sendRequest<{ changes: Record<string, { newText: string }[]> }>('textDocument/rename', {
    ...at,
    newName: 'number',
  });
  const files = Object.keys(changes).map((address) => address.slice(address.indexOf('/mail/') + 6));
  expect(files).toEqual(
    expect.arrayContaining([
      'templates/booking-confirmed/message.md',
      'templates/booking-confirmed/data.schema.json',
      'templates/booking-confirmed/samples/typical.json',
      'signals/booking-paid.yaml',
    ]),
  );
  expect(
    Object.values(changes)
      .flat()
      .every(({ newText }) => newText === 'number'),
  ).toBe(true);
  await expect(connection.sendRequest('textDocument/rename', { ...at, newName: 'total' })).rejects.toThrow(
    /would have a new problem|something else/,
  );
  await expect(connection.sendRequest('textDocument/prepareRename', { ...at, position: { line: 0, character: 0 } })).rejects.toThrow(
    'This is something else',
  );
  await close();
});

test('a source is formatted', async () => {
  const content = text().replace('{{ booking.reference }}', '{{booking.reference}}');
  await open(content);
  const [edit] = await connection.sendRequest<{ newText: string }[]>('textDocument/formatting', { textDocument: { uri }, options: {} });
  expect(edit?.newText).toBe(text());
  await close();
});

test('what is in no mail folder, or in one that cannot be read, is answered with nothing', async () => {
  const outside = pathToFileURL(join(path, 'notes.md')).href;
  await connection.sendNotification('textDocument/didOpen', {
    textDocument: { uri: outside, languageId: 'markdown', version: 1, text: '{{ x. }}' },
  });
  const position = { line: 0, character: 5 };
  expect(await connection.sendRequest('textDocument/completion', { textDocument: { uri: outside }, position })).toEqual([]);
  expect(await connection.sendRequest('textDocument/hover', { textDocument: { uri: outside }, position })).toBeNull();
  expect(await connection.sendRequest('textDocument/definition', { textDocument: { uri: 'untitled:1' }, position })).toEqual([]);

  const broken = join(path, 'broken');
  mkdirSync(join(broken, 'templates/t'), { recursive: true });
  writeFileSync(join(broken, 'mail.yaml'), 'name: [');
  const brokenUri = pathToFileURL(join(broken, 'templates/t/message.md')).href;
  await connection.sendNotification('textDocument/didOpen', {
    textDocument: { uri: brokenUri, languageId: 'markdown', version: 1, text: '{{ x. }}' },
  });
  expect(await connection.sendRequest('textDocument/completion', { textDocument: { uri: brokenUri }, position })).toEqual([]);
  await problemsOf((codes) => codes.length > 0, pathToFileURL(join(broken, 'mail.yaml')).href);
  rmSync(broken, { recursive: true });
});
