import { readFileSync } from 'node:fs';
import { z } from 'zod';
import { startChat } from './chat.js';
import { startHttpProvider } from './http-provider.js';
import { Script } from './script.js';
import { startSmtpProvider } from './smtp-provider.js';

// Run as a process of its own: `node main.js SETTINGS.json`. The outside world shares no memory with the service.

const Settings = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('smtp'),
    name: z.string(),
    host: z.string(),
    port: z.int(),
    returnsTo: z.strictObject({ host: z.string(), port: z.int() }),
    reportAfterMs: z.int(),
    tally: z.string().optional(),
    script: Script,
  }),
  z.strictObject({
    kind: z.literal('http'),
    dialect: z.enum(['parcel', 'postbox', 'slip', 'ledger']),
    host: z.string(),
    port: z.int(),
    key: z.string(),
    callsTo: z.strictObject({ url: z.string(), secret: z.string(), afterMs: z.int() }).optional(),
    script: Script,
  }),
  z.strictObject({ kind: z.literal('chat'), host: z.string(), port: z.int() }),
]);

const file = process.argv[2];
if (file === undefined) throw new Error('usage: main.js SETTINGS.json');
const settings = Settings.parse(JSON.parse(readFileSync(file, 'utf8')));
const provider =
  settings.kind === 'smtp'
    ? await startSmtpProvider(settings)
    : settings.kind === 'http'
      ? await startHttpProvider(settings)
      : await startChat(settings.host, settings.port);
process.stdout.write(`${JSON.stringify({ port: provider.port })}\n`);
const end = (): void => {
  void provider.close().then(() => process.exit(0));
};
process.on('SIGTERM', end);
process.on('SIGINT', end);
// Ends with its parent: when the pipe to it closes, nobody is left to stop it.
process.stdin.on('end', end).resume();
