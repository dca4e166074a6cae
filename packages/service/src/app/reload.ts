import type { ServerResponse } from 'node:http';
import { Refusal, StartError, type RequestProblem } from '../kernel/index.js';
import { differences, type ReadConfig, type SettingChange } from '../settings/index.js';
import type { Front } from './front.js';
import { openGeneration, type Generation, type Ground } from './generation.js';

/** Settings that a running service cannot change: its sockets and its files. */
const FIXED = ['listen.host', 'listen.port', 'links.host', 'links.port', 'databaseFile', 'secretsFile', 'dayKeysFolder'];

interface ReloadOptions {
  readonly ground: Ground;
  readonly front: Front;
  /** Reads the configuration again; undefined where it came from no file. @throws StartError */
  readonly reread: (() => ReadConfig) | undefined;
  readonly current: () => Generation;
  readonly replace: (generation: Generation) => void;
  /** The service cannot go on. */
  readonly failed: (error: unknown) => void;
}

export type Reload = (except?: ServerResponse) => Promise<readonly SettingChange[]>;

function refused(detail: string, problems: readonly RequestProblem[]): Refusal {
  return new Refusal(422, 'configuration-not-right', 'The configuration has errors; the old one stays in use', { detail, problems });
}

/** Reads the configuration again, and reports all of its faults together. @throws Refusal */
function read(reread: ReloadOptions['reread']): ReadConfig {
  if (reread === undefined)
    throw new Refusal(409, 'no-configuration-file', 'This service was not started with a configuration file', {
      hint: 'Start it with: verbalis serve --config FILE.',
    });
  try {
    return reread();
  } catch (error) {
    if (!(error instanceof StartError)) throw error;
    throw refused(error.message.split('\n')[0] ?? '', error.more.faults ?? []);
  }
}

/**
 * Replaces the configuration of a running service. Everything that can be wrong with the new one is found before the old one ends; where it
 * cannot be opened all the same, the old one is opened again. What is being handed over ends as it began.
 */
export function reloader({ ground, front, reread, current, replace, failed }: ReloadOptions): Reload {
  let isUnderWay = false;
  const { log } = ground;

  async function swap(next: ReadConfig, except: ServerResponse | undefined): Promise<void> {
    const old = current();
    await old.rest();
    await front.hold(except);
    await old.closeSockets();
    let opened: Generation;
    try {
      opened = await openGeneration(next, ground);
    } catch (error) {
      log.error({ err: error }, 'the new configuration could not be opened; the old one is opened again');
      try {
        opened = await openGeneration(old.config, ground, { keepEditions: true });
      } catch (fault) {
        failed(fault);
        throw fault;
      }
      use(opened, old);
      const why = error instanceof Error ? error.message : String(error);
      throw refused(why, []);
    }
    use(opened, old);
  }

  function use(opened: Generation, old: Generation): void {
    replace(opened);
    opened.start();
    front.open(opened.app);
    // What its providers still have under way is not waited for.
    old.close().catch((error: unknown) => {
      log.error({ err: error }, 'the former configuration could not be closed');
    });
  }

  return async (except) => {
    if (isUnderWay) throw new Refusal(409, 'reload-under-way', 'The configuration is being reloaded already');
    isUnderWay = true;
    try {
      const next = read(reread);
      const changes = differences(current().config.settings, next.settings);
      const fixed = changes.filter(({ path }) => FIXED.includes(path));
      if (fixed.length > 0)
        throw refused(
          'Some settings cannot be changed while the service runs.',
          fixed.map(({ path }) => ({ path, message: 'needs a restart.', hint: undefined })),
        );
      if (changes.length === 0) return changes;
      // A folder that cannot be published is found now, and the old edition goes on.
      await current().built.publishFolders(next.settings.spaces, next.folder);
      ground.log.level = next.settings.log.level;
      await swap(next, except);
      log.info({ changed: changes.map(({ path }) => path) }, 'the configuration was reloaded');
      return changes;
    } finally {
      isUnderWay = false;
    }
  };
}
