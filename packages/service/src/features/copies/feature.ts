import { Gauge } from 'prom-client';
import { listeners, serve, type Feature, type Listeners, type Runtime } from '../../kernel/index.js';
import { copier as copierOn, type Copier } from './copier.js';
import { copyEndpoints } from './endpoints.js';
import type { CopySettings } from './settings.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly settings: CopySettings;
  readonly ledgerFile: string;
}

export interface Copies {
  /** What an operator must know, in a sentence; undefined where all is well, or nothing is copied. */
  readonly trouble: () => string | undefined;
  readonly onChange: Listeners['add'];
  readonly feature: Feature;
}

function measure({ registry }: Runtime, copier: Copier): void {
  new Gauge({
    name: 'verbalis_copies_lag_seconds',
    help: 'Age of the oldest change that the continuous copies lack',
    registers: [registry],
    collect() {
      this.set(copier.lag().lagMs / 1000);
    },
  });
  new Gauge({
    name: 'verbalis_copies_behind_records',
    help: 'Groups of changes that the continuous copies lack',
    registers: [registry],
    collect() {
      this.set(copier.lag().behind);
    },
  });
}

/** Continuous copies: every change, within a second, in another folder. */
export async function openCopies(runtime: Runtime, { store, settings, ledgerFile }: Options): Promise<Copies> {
  const { clock, log, workers, within } = runtime;
  const changes = listeners();
  const folder = settings.folder === undefined ? undefined : within(settings.folder);
  const copier =
    folder === undefined
      ? undefined
      : copierOn({
          store,
          clock,
          log,
          workers,
          folder,
          settings,
          ledgerFile,
          changed: changes.call,
        });
  if (copier === undefined) await store.changes.end();
  else measure(runtime, copier);
  return {
    trouble: () => copier?.trouble(),
    onChange: changes.add,
    feature: {
      name: 'copies',
      endpoints: serve(copyEndpoints, { copier, folder, alertMs: settings.alertSeconds * 1000 }),
      ...(copier === undefined ? {} : { running: [copier], isBusy: copier.isBusy, close: copier.close }),
    },
  };
}
