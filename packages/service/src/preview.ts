import { createServer } from 'node:http';
import { basename } from 'node:path';
import { fileURLToPath } from 'node:url';
import express from 'express';
import { pino } from 'pino';
import { SYSTEM_CLOCK } from './kernel/index.js';
import { openToThisMachine } from './http/access.js';
import { consoleRouter } from './http/console.js';
import { problemHandler } from './http/problem.js';
import { templatesRouter, type TestSending } from './http/templates.js';
import { Refusal } from './refusal.js';
import { folderWriting } from './writing/index.js';

export interface PreviewOptions {
  readonly folder: string;
  readonly host: string;
  /** 0 for any free one. */
  readonly port: number;
  /** Whether the page may write the sources. */
  readonly editable: boolean;
  /** How a test is sent; nothing can be sent without. */
  readonly testing?: TestSending;
}

export interface Preview {
  readonly url: string;
  readonly stop: () => Promise<void>;
}

const CONSOLE_FOLDER = fileURLToPath(new URL('../../console/dist', import.meta.url));
const BODY_BYTES = 8 * 1024 * 1024;

const NO_TESTING: TestSending = {
  ways: () => [],
  send: () =>
    Promise.reject(
      new Refusal(409, 'no-service', 'There is no service to send it by', {
        hint: 'Start the preview with --url and --key of a space (a capturing one keeps the mail).',
      }),
    ),
};

/** A local page for a mail folder: what is saved is seen at once. Needs no service. @throws FolderError */
export async function startPreview(options: PreviewOptions): Promise<Preview> {
  const clock = SYSTEM_CLOCK;
  const writing = await folderWriting(options.folder, { editable: options.editable, clock });
  const folder = writing.folder ?? options.folder;
  const space = basename(folder);
  const app = express();
  app.disable('x-powered-by');
  app.set('etag', false);
  app.set('query parser', 'simple');
  app.use(['/v1', '/console'], openToThisMachine(space), express.json({ limit: BODY_BYTES }), (_request, response, next) => {
    response.set({ 'Cache-Control': 'no-store', 'X-Content-Type-Options': 'nosniff' });
    next();
  });
  app.get('/console/session', (_request, response) => {
    response.json({ spaces: [{ name: space, mode: 'capture' }], folder });
  });
  app.use('/v1/templates', templatesRouter({ writing, clock, testing: options.testing ?? NO_TESTING }));
  app.use('/v1', (request) => {
    throw new Refusal(404, 'not-found', 'A preview shows templates only', {
      detail: `${request.method} ${request.originalUrl} is part of the service.`,
      hint: 'verbalis serve starts one.',
    });
  });
  app.use(consoleRouter(CONSOLE_FOLDER));
  app.use(problemHandler(pino({ level: 'error' }), BODY_BYTES));
  const server = createServer(app);
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(options.port, options.host, resolve);
  });
  const address = server.address();
  const port = typeof address === 'object' && address !== null ? address.port : options.port;
  return {
    url: `http://${options.host.includes(':') ? `[${options.host}]` : options.host}:${port}`,
    stop: async () => {
      await writing.close();
      server.closeAllConnections();
      await new Promise<void>((resolve) => {
        server.close(() => {
          resolve();
        });
      });
    },
  };
}

export type { TestSending } from './http/templates.js';
export { Refusal } from './refusal.js';
