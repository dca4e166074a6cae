import { createHmac, randomBytes } from 'node:crypto';
import { chmodSync, existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import { z } from 'zod';

const Stored = z.object({ master: z.string().min(40), operator: z.string().min(20) });

export interface Secrets {
  /** Opens the console. */
  readonly operator: string;
  /** A key for one use, made from the master key; the same every time. */
  readonly keyFor: (use: 'returns' | 'sessions' | 'signing' | 'unsubscribe' | 'webhooks') => Uint8Array;
}

/**
 * Reads the service's own keys, making them at the first start.
 * @param operator an operator's secret from the environment, which takes the place of the stored one
 */
export function readSecrets(file: string, operator: string | undefined): Secrets {
  let stored: z.infer<typeof Stored>;
  if (existsSync(file)) {
    stored = Stored.parse(JSON.parse(readFileSync(file, 'utf8')));
  } else {
    stored = { master: randomBytes(32).toString('base64url'), operator: randomBytes(18).toString('base64url') };
    mkdirSync(dirname(file), { recursive: true });
    writeFileSync(file, `${JSON.stringify(stored, null, 2)}\n`, { mode: 0o600 });
    chmodSync(file, 0o600);
  }
  const master = Buffer.from(stored.master, 'base64url');
  return {
    operator: operator ?? stored.operator,
    keyFor: (use) => createHmac('sha256', master).update(`verbalis\0${use}`).digest(),
  };
}
