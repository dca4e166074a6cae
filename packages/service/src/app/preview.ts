import { createServer } from 'node:http';
import { basename } from 'node:path';
import { fileURLToPath } from 'node:url';
import { pino } from 'pino';
import { consoleRouter } from '../features/console/index.js';
import { openToThisMachine } from '../features/people/index.js';
import { folderWorkbench, templateDeps, templateEndpoints, type TestSending } from '../features/workbench/index.js';
import { bareApp, endpointRoutes, problemHandler, Refusal, serve, SYSTEM_CLOCK } from '../kernel/index.js';
import { refuseUnknown } from './http.js';

export { Refusal } from '../kernel/index.js';
export type { TestSending } from '../features/workbench/index.js';

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

const CONSOLE_FOLDER = fileURLToPath(new URL('../../../console/dist', import.meta.url));
const BODY_BYTES = 8 * 1024 * 1024;

const NO_TESTING: TestSending = {
  ways: () => [],
  send: () =>
    Promise.reject(
      new Refusal(409, 'no-service', 'There is no service to send it through', {
        hint: 'Start the preview with --url and --key of a space (a capturing one keeps the email).',
      }),
    ),
};

/** A local page for a mail folder: changes appear when a file is saved. Needs no service. @throws StartError */
export async function startPreview(options: PreviewOptions): Promise<Preview> {
  const workbench = await folderWorkbench(options.folder, { editable: options.editable, clock: SYSTEM_CLOCK });
  const folder = workbench.folder ?? options.folder;
  const space = basename(folder);
  const access = openToThisMachine(space);
  const app = bareApp();
  app.get('/console/session', (request, response) => {
    access(request, { isForService: false });
    response.json({ spaces: [{ name: space, mode: 'capture' }], folder, operator: true });
  });
  const deps = templateDeps(workbench, options.testing ?? NO_TESTING, SYSTEM_CLOCK);
  app.use(endpointRoutes({ endpoints: serve(templateEndpoints, deps), access, bodyBytes: BODY_BYTES }).router);
  refuseUnknown(app, 'A preview shows templates only', 'verbalis serve starts a service.');
  app.use(consoleRouter(CONSOLE_FOLDER));
  app.use(problemHandler(pino({ level: 'error' })));
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
      await workbench.close();
      server.closeAllConnections();
      await new Promise<void>((resolve) => {
        server.close(() => {
          resolve();
        });
      });
    },
  };
}
