import type { MailPreview } from '@verbalis/core/preview';
import { LRUCache } from 'lru-cache';
import { serve, type Clock, type Feature, type Runtime } from '../../kernel/index.js';
import type { CaptureStore } from '../capture/index.js';
import type { Provider, ProviderProbe } from '../providers/index.js';
import { editionWorkbench } from './editions.js';
import { templateEndpoints, type TemplateEndpoints, type TestSending } from './endpoints.js';
import type { Store } from './store.js';
import { testSending } from './testing.js';
import type { Workbench } from './workbench.js';

/** Renderings that can still be shown. */
const MOST_FRAMES = 60;

/** What the endpoints of templates work with; also for a preview without a service. */
export function templateDeps(workbench: Workbench, testing: TestSending, clock: Clock): TemplateEndpoints {
  return { workbench, testing, clock, frames: new LRUCache<string, MailPreview>({ max: MOST_FRAMES }) };
}

interface Options {
  readonly store: Store;
  readonly capturing: CaptureStore;
  readonly providers: ReadonlyMap<string, Provider>;
  readonly probe: ProviderProbe;
  /** The providers that a space sends through. */
  readonly routeOf: (space: string) => readonly string[];
}

/** Templates of published editions, looked at and tried. */
export function openWorkbench({ clock }: Runtime, { store, capturing, providers, probe, routeOf }: Options): Feature {
  const workbench = editionWorkbench(store);
  const deps = templateDeps(workbench, testSending({ capturing, providers, probe, routeOf }), clock);
  return { name: 'workbench', endpoints: serve(templateEndpoints, deps), close: workbench.close };
}
