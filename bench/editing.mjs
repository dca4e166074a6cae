// What an editor waits for in a folder of 300 templates in three locales: a letter is typed, and what can follow is asked for, through the
// language server. Against a request that the server answers with nothing.
import { spawn } from 'node:child_process';
import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { createMessageConnection, StreamMessageReader, StreamMessageWriter } from 'vscode-jsonrpc/node.js';
import { root } from './support/processes.mjs';

const TEMPLATES = 300;
const REQUESTS = 200;
export const runs = 3;

export default async function bench() {
  const folder = mkdtempSync(join(tmpdir(), 'verbalis-bench-'));
  cpSync(join(root, 'demo/mail'), folder, { recursive: true });
  const source = join(folder, 'templates/booking-confirmed');
  for (let i = 0; i < TEMPLATES; i += 1) cpSync(source, join(folder, `templates/booking-${i}`), { recursive: true });
  writeFileSync(join(folder, 'strings/de.json'), readFileSync(join(folder, 'strings/fr.json')));
  const child = spawn(process.execPath, [join(root, 'packages/cli/bin/verbalis.js'), 'lsp'], { stdio: ['pipe', 'pipe', 'inherit'] });
  const connection = createMessageConnection(new StreamMessageReader(child.stdout), new StreamMessageWriter(child.stdin));
  connection.listen();
  await connection.sendRequest('initialize', { processId: process.pid, rootUri: null, capabilities: {} });
  const file = join(folder, 'templates/booking-7/message.md');
  const uri = pathToFileURL(file).href;
  const text = readFileSync(file, 'utf8');
  let version = 0;
  connection.sendNotification('textDocument/didOpen', { textDocument: { uri, languageId: 'markdown', version, text } });
  const line = text.split('\n').length - 1;
  const p95 = (values) => values.sort((a, b) => a - b)[Math.floor(values.length * 0.95)];
  const all = async (ask) => {
    const taken = [];
    for (let i = 0; i < REQUESTS; i += 1) {
      const from = performance.now();
      await ask(i);
      taken.push(performance.now() - from);
    }
    return p95(taken);
  };
  const PATH = '{{ booking.fares[0].label }}';
  return [
    {
      name: 'completion after each letter in a folder of 300 templates, p95, against a request outside of it',
      unit: 'ms',
      ours: () =>
        all(async (i) => {
          const typed = PATH.slice(0, 3 + (i % (PATH.length - 6)));
          version += 1;
          connection.sendNotification('textDocument/didChange', {
            textDocument: { uri, version },
            contentChanges: [{ text: `${text}\n${typed}` }],
          });
          await connection.sendRequest('textDocument/completion', {
            textDocument: { uri },
            position: { line: line + 1, character: typed.length },
          });
        }),
      baseline: () =>
        all(() =>
          connection.sendRequest('textDocument/hover', { textDocument: { uri: 'untitled:1' }, position: { line: 0, character: 0 } }),
        ),
      close: () => {
        child.kill();
        connection.dispose();
        rmSync(folder, { recursive: true });
      },
    },
  ];
}
