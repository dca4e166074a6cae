import { endpointsOf, json, Refusal, Reply } from '../../kernel/index.js';
import type { Backups } from './backups.js';
import type { Backup } from './files.js';
import { BackupList, BackupView } from './model.js';
import type { BackupSettings } from './settings.js';

export interface BackupEndpoints {
  /** Undefined where none are made. */
  readonly backups: Backups | undefined;
  readonly folder: string | undefined;
  readonly settings: BackupSettings;
}

const endpoint = endpointsOf<BackupEndpoints>();
const view = ({ file, manifest: { asOf, bytes, sha256 } }: Backup) => ({ file, asOf, bytes, sha256 });

const list = endpoint({
  name: 'backups.list',
  method: 'get',
  path: '/v1/backups',
  summary: 'Backups in the folder of the configuration',
  scope: 'operator',
  isForService: true,
  answers: { 200: json('All that are whole by their manifest.', BackupList) },
  async run(_call, { backups, folder, settings: { everyHours, keep } }) {
    try {
      const all = (await backups?.list()) ?? [];
      return { folder, everyHours, keep, problem: backups?.trouble(), backups: all.map(view) };
    } catch (error) {
      return { folder, everyHours, keep, problem: (error as Error).message, backups: [] };
    }
  },
});

const add = endpoint({
  name: 'backups.add',
  method: 'post',
  path: '/v1/backups',
  summary: 'Make a backup now',
  description: 'Answers when the backup is complete: written to the disk and read again. A large database takes a while.',
  scope: 'operator',
  isForService: true,
  answers: { 201: json('The backup.', BackupView) },
  refusals: { 409: 'No folder is set.', 507: 'It could not be made; the detail says why.' },
  isRepeatable: true,
  async run(_call, { backups }) {
    if (backups === undefined)
      throw new Refusal(409, 'no-backup-folder', 'No folder is set for backups', {
        hint: 'Set backup.folder (VERBALIS_BACKUP_FOLDER), or run on the machine of the service: verbalis backup FILE.',
      });
    try {
      return new Reply(view(await backups.make()), { status: 201 });
    } catch (error) {
      throw new Refusal(507, 'backup-failed', 'The backup could not be made', { detail: (error as Error).message });
    }
  },
});

/** Backups. */
export const backupEndpoints = [list, add];
