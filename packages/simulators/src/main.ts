import { readFileSync } from 'node:fs';
import * as z from 'zod';
import { Script } from './script.js';

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

/** Loads one kind of provider: the demo starts five of these processes, and all kinds together take most of their start. */
async function start(): Promise<{ readonly port: number; readonly close: () => Promise<void> }> {
  switch (settings.kind) {
    case 'smtp':
      return (await import('./smtp-provider.js')).startSmtpProvider(settings);
    case 'http':
      return (await import('./http-provider.js')).startHttpProvider(settings);
    case 'chat':
      return (await import('./chat.js')).startChat(settings.host, settings.port);
  }
}

const provider = await start();
process.stdout.write(`${JSON.stringify({ port: provider.port })}\n`);
const end = (): void => {
  void provider.close().then(() => process.exit(0));
};
process.on('SIGTERM', end);
process.on('SIGINT', end);
// Ends with its parent: when the pipe to it closes, nobody is left to stop it.
process.stdin.on('end', end).resume();
