import { createHmac, randomBytes } from 'node:crypto';
import { chmodSync, existsSync, mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';
import * as z from 'zod';
import { StartError } from './unavailable.js';

const Stored = z.object({ master: z.string().min(40), operator: z.string().min(24) });
/** It grants every right, so it must not be guessable. */
const LEAST_OPERATOR = 24;

export interface Secrets {
  /** Opens the console. */
  readonly operator: string;
  /** Whether a person has chosen that secret, and the service has not made it. */
  readonly isChosen: boolean;
  /** A key for one use, made from the master key; the same every time. */
  readonly keyFor: (
    use:
      | 'cluster'
      | 'domain pages'
      | 'recipient sources'
      | 'engagement'
      | 'sender confirmations'
      | 'erasure'
      | 'returns'
      | 'sensitive data'
      | 'sessions'
      | 'signing'
      | 'unsubscribe'
      | 'webhooks',
  ) => Uint8Array;
  /** Identifies a secret without revealing it. */
  readonly fingerprint: string;
}

/**
 * Reads the service's own keys, making them at the first start.
 * @param operator an operator's secret from the environment, which takes the place of the stored one
 * @param database the database file: where it exists, its keys were made with it, and new ones would fit nothing in it
 * @throws StartError
 */
export function readSecrets(file: string, operator: string | undefined, database: string): Secrets {
  if (operator !== undefined && operator.length < LEAST_OPERATOR)
    throw new StartError(
      `VERBALIS_OPERATOR_SECRET has ${operator.length} characters; it needs at least ${LEAST_OPERATOR}. Make one with: openssl rand -base64 24. Left out, the ` +
        `one in ${file} is used.`,
    );
  if (!existsSync(file)) {
    if (existsSync(database) && statSync(database).size > 0)
      throw new StartError(
        `The secrets file ${file} is missing, but the database ${database} exists: its return paths, signing keys and webhook secrets are ` +
          'encrypted with the master key in that file. Restore the file from a backup, or move the database away to start over.',
      );
    make(file);
  }
  const stored = read(file);
  const master = Buffer.from(stored.master, 'base64url');
  return {
    operator: operator ?? stored.operator,
    isChosen: operator !== undefined,
    keyFor: (use) => createHmac('sha256', master).update(`verbalis\0${use}`).digest(),
    fingerprint: createHmac('sha256', master).update('verbalis\0fingerprint').digest('hex').slice(0, 16),
  };
}

function make(file: string): void {
  const made = { master: randomBytes(32).toString('base64url'), operator: randomBytes(18).toString('base64url') };
  try {
    mkdirSync(dirname(file), { recursive: true });
    // Of two that start at the same time, one makes it and the other reads it.
    writeFileSync(file, `${JSON.stringify(made, null, 2)}\n`, { mode: 0o600, flag: 'wx' });
    chmodSync(file, 0o600);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EEXIST') return;
    throw new StartError(`The secrets file ${file} cannot be written: ${(error as Error).message}`);
  }
}

function read(file: string): z.infer<typeof Stored> {
  let text: string;
  try {
    text = readFileSync(file, 'utf8');
  } catch (error) {
    throw new StartError(`The secrets file ${file} cannot be read: ${(error as Error).message}`);
  }
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw new StartError(`The secrets file ${file} is not JSON. Restore it from a backup.`);
  }
  const { data, error } = Stored.safeParse(value);
  if (data !== undefined) return data;
  const [issue] = error.issues;
  throw new StartError(
    `The secrets file ${file} is damaged: "${issue?.path.join('.') ?? ''}" is missing or too short. Restore it from a backup.`,
  );
}
