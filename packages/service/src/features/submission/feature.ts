import { portFault, type Feature, type Runtime } from '../../kernel/index.js';
import type { Acceptor } from '../messages/index.js';
import type { SpaceSettings } from '../spaces/index.js';
import { listenSubmission } from './listen.js';
import type { SubmissionSettings } from './settings.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly accept: Acceptor;
  readonly settings: SubmissionSettings;
  readonly spaces: SpaceSettings;
  readonly helloName: string;
  readonly limits: { readonly bodyBytes: number; readonly recipients: number };
}

/** Where apps submit whole emails by SMTP. @returns also the port, once it is listened on; undefined where that is off */
export function openSubmission({ log }: Runtime, options: Options): { readonly port: () => number | undefined; readonly feature: Feature } {
  const { store, accept, settings, spaces, helloName, limits } = options;
  let listener: Awaited<ReturnType<typeof listenSubmission>> | undefined;
  const feature: Feature = {
    name: 'submission',
    async listen() {
      const { host, port, openTo } = settings;
      if (port === undefined) return;
      listener = await listenSubmission(host, port, {
        store,
        accept,
        log,
        name: helloName,
        maxBytes: limits.bodyBytes,
        maxRecipients: limits.recipients,
        spaces: new Set(Object.keys(spaces)),
        openTo,
      }).catch((error: unknown) => {
        throw portFault(error, { host, port, setting: 'submission.port (VERBALIS_SUBMISSION_PORT)' });
      });
    },
    closeSockets: async () => {
      await listener?.close();
    },
  };
  return { port: () => listener?.port, feature };
}
