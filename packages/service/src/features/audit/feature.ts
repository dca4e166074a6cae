import { serve, type AuditLog, type Feature, type Runtime } from '../../kernel/index.js';
import { auditEndpoints, type AuditEndpoints } from './endpoints.js';
import { auditLog, type LogOptions } from './log.js';

interface Options extends Omit<LogOptions, 'clock'>, AuditEndpoints {
  /** How long entries are kept, in milliseconds. */
  readonly keptMs: number;
}

/** Who did what, to what, when and from where. */
export function openAudit({ clock }: Runtime, options: Options): { readonly log: AuditLog; readonly feature: Feature } {
  const { store, keptMs } = options;
  return {
    log: auditLog({ ...options, clock }),
    feature: {
      name: 'audit',
      endpoints: serve(auditEndpoints, options),
      retention: [{ name: 'audit', step: (tx, now) => store.audit.forget(tx, now - keptMs) }],
    },
  };
}
