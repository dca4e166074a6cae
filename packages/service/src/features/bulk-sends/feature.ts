import { createHmac } from 'node:crypto';
import { secretText } from '@verbalis/core/events';
import { didYouMean } from '@verbalis/core/problems';
import type { JsonSchema } from '@verbalis/core/typing';
import { Refusal, serve, type Feature, type OutsideRules, type Runtime } from '../../kernel/index.js';
import type { Editions } from '../editions/index.js';
import type { Feed } from '../events/index.js';
import type { Acceptor } from '../messages/index.js';
import { bulkEndpoints } from './endpoints.js';
import { bulkEngine } from './engine.js';
import { bulkStarter, type BulkStarter } from './start.js';
import type { Store } from './store.js';

interface Options {
  readonly store: Store;
  readonly editions: Editions;
  readonly accept: Acceptor;
  readonly outside: OutsideRules & { readonly waitMs: number };
  /** Requests for recipients are signed with keys derived from it. */
  readonly secret: Uint8Array;
  readonly feed: Pick<Feed, 'reported'>;
}

/** Bulk sends: one template to many recipients. */
export function openBulkSends(
  { clock, log, workers, registry, ages }: Runtime,
  { store, editions, accept, outside, secret, feed }: Options,
): { readonly starter: BulkStarter; readonly feature: Feature } {
  const secretOf = (space: string): string => secretText(createHmac('sha256', secret).update(`source\0${space}`).digest());
  const engine = bulkEngine({ store, clock, log, workers, registry, accept, outside, secretOf, reported: feed.reported });

  async function templateOf(
    space: string,
    { template, essential }: { readonly template: string; readonly essential: boolean },
  ): Promise<JsonSchema> {
    const edition = await editions.current(space);
    const ready = edition?.templates.get(template);
    if (edition === undefined || ready === undefined)
      throw new Refusal(422, 'unknown-template', 'There is no such template', {
        detail: `The edition in use has no template "${template}".`,
        hint: didYouMean(template, edition?.templates.keys() ?? []),
      });
    const { topic } = ready.compiled;
    if (edition.project.settings.topics[topic ?? '']?.purpose !== 'optional' && !essential)
      throw new Refusal(422, 'essential-bulk', 'This template is of no optional topic', {
        detail: `Recipients cannot unsubscribe from "${template}".`,
        hint: 'If everybody must receive it, set "essential": true (--essential).',
      });
    if (ready.files.masking !== undefined)
      throw new Refusal(422, 'sensitive-bulk', 'This template has sensitive data', {
        detail: `Lists of recipients are kept as they are, and the data of "${template}" must not be.`,
        hint: 'Send it with POST /v1/messages or /v1/messages/batch.',
      });
    return ready.files.schema;
  }

  const starter = bulkStarter({ store, clock, wake: engine.wake, templateOf });
  return {
    starter,
    feature: {
      name: 'bulk-sends',
      endpoints: serve(bulkEndpoints, { store, clock, wake: engine.wake, reported: feed.reported, secretOf, starter }),
      running: [engine],
      clockJumped: engine.wake,
      retention: [{ name: 'bulk sends', step: (tx, now) => store.bulkSends.forget(tx, now - ages.records) }],
    },
  };
}
