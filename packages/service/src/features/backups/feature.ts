import { Gauge } from 'prom-client';
import { listeners, serve, type Feature, type Kernel, type Listeners, type Runtime } from '../../kernel/index.js';
import { backups as backupsOn } from './backups.js';
import { backupEndpoints } from './endpoints.js';
import type { BackupSettings } from './settings.js';

interface Options {
  readonly store: Kernel;
  readonly settings: BackupSettings;
  readonly ledgerFile: string;
}

export interface OpenedBackups {
  /** What an operator must know, in a sentence. */
  readonly trouble: () => string | undefined;
  readonly onChange: Listeners['add'];
  readonly feature: Feature;
}

/** Backups: the whole database, copied now and then. */
export function openBackups({ clock, log, workers, registry, within }: Runtime, { store, settings, ledgerFile }: Options): OpenedBackups {
  const changes = listeners();
  const folder = settings.folder === undefined ? undefined : within(settings.folder);
  const backups =
    folder === undefined
      ? undefined
      : backupsOn({
          store,
          clock,
          log,
          workers,
          folder,
          settings,
          ledgerFile,
          changed: changes.call,
        });
  if (backups !== undefined)
    new Gauge({
      name: 'verbalis_backup_last_timestamp_seconds',
      help: 'When the last backup was made, in seconds since the epoch; 0 where there is none',
      registers: [registry],
      collect() {
        this.set((backups.last() ?? 0) / 1000);
      },
    });
  return {
    trouble: () => backups?.trouble(),
    onChange: changes.add,
    feature: {
      name: 'backups',
      endpoints: serve(backupEndpoints, { backups, folder, settings }),
      ...(backups === undefined ? {} : { running: [backups], isBusy: backups.isBusy, close: backups.close }),
    },
  };
}
