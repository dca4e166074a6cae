import { portFault, type Feature, type Runtime } from '../../kernel/index.js';
import type { NoteUse } from '../keys/index.js';
import type { Acceptor } from '../messages/index.js';
import type { SpaceSettings } from '../spaces/index.js';
import { listenerOptions } from '../smtp/index.js';
import { listenSubmission } from './listen.js';
import type { SubmissionSettings } from './settings.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly accept: Acceptor;
  readonly noteUse: NoteUse;
  readonly settings: SubmissionSettings;
  readonly spaces: SpaceSettings;
  readonly helloName: string;
  readonly limits: { readonly bodyBytes: number; readonly recipients: number };
  /** Where large emails are while they come in. */
  readonly spoolFolder: string;
}

export interface OpenedSubmission {
  /** The ports, once they are listened on; undefined where one is off. */
  readonly port: () => number | undefined;
  readonly tlsPort: () => number | undefined;
  readonly feature: Feature;
}

/** Where apps submit whole emails by SMTP. */
export function openSubmission({ clock, log, within }: Runtime, options: Options): OpenedSubmission {
  const { store, accept, noteUse, settings, spaces, helloName, limits, spoolFolder } = options;
  const doors = [
    { name: 'port', setting: settings.port, isSecure: false },
    { name: 'tlsPort', setting: settings.tlsPort, isSecure: true },
  ].flatMap(({ setting, ...door }) => (setting === undefined ? [] : [{ ...door, port: setting }]));
  let listener: Awaited<ReturnType<typeof listenSubmission>> | undefined;
  const feature: Feature = {
    name: 'submission',
    async listen() {
      const { host, openTo, lineEnds, insecure } = settings;
      const [first] = doors;
      if (first === undefined) return;
      listener = await listenSubmission({
        store,
        accept,
        clock,
        noteUse,
        log,
        spaces: new Set(Object.keys(spaces)),
        openTo,
        listen: {
          host,
          doors,
          server: {
            name: helloName,
            maxBytes: limits.bodyBytes,
            maxRecipients: limits.recipients,
            login: openTo === undefined ? 'needed' : 'offered',
            loginInTheOpen: insecure,
            repairsLineEnds: lineEnds === 'repair',
          },
          spoolFolder,
          ...listenerOptions(settings, within),
        },
      }).catch((error: unknown) => {
        const setting = doors.map(({ name }) => `submission.${name}`).join(', ');
        throw portFault(error, { host, port: first.port, setting: `${setting} (VERBALIS_SUBMISSION_PORT)` });
      });
    },
    fault: () => (listener?.isListening() === false ? 'The SMTP listener of submission has ended.' : undefined),
    closeSockets: async () => {
      await listener?.close();
    },
  };
  const portOf = (name: string) => (): number | undefined => listener?.ports[doors.findIndex((door) => door.name === name)];
  return { port: portOf('port'), tlsPort: portOf('tlsPort'), feature };
}
