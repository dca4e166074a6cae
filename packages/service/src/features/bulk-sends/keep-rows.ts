import { createHash } from 'node:crypto';
import type { JsonSchema } from '@verbalis/core/typing';
import { Refusal, type Tx } from '../../kernel/index.js';
import { rowsOfCsv } from './csv.js';
import type { Store } from './store.js';

export interface RowsOptions {
  readonly store: Store;
  /** The data schema of a template. @throws Refusal where it cannot be sent to many */
  readonly templateOf: (space: string, wanted: { readonly template: string; readonly essential: boolean }) => Promise<JsonSchema>;
}

/** Recipients that are there as a whole. */
export type RowsSource =
  | { readonly list: readonly unknown[] }
  | { readonly upload: string; readonly format?: 'ndjson' | 'csv' | undefined }
  /** NDJSON, or CSV. */
  | { readonly bytes: Uint8Array; readonly format: 'ndjson' | 'csv' };

interface Rows {
  readonly space: string;
  readonly recipients: RowsSource;
  readonly schema: JsonSchema;
  readonly now: number;
}

/** Bytes that one transaction writes. */
const STEP_BYTES = 256 * 1024;

/**
 * Keeps the rows of a bulk send as NDJSON, for as long as it reads them.
 * @returns what gives the id of the contents, in the transaction that begins the bulk send @throws Refusal
 */
export async function keepRows({ store }: RowsOptions, { space, recipients, schema, now }: Rows): Promise<(tx: Tx) => string> {
  const kept = (bytes: Uint8Array) => (tx: Tx) => store.contents.keep(tx, bytes, now).id;
  if ('list' in recipients) return kept(Buffer.from(recipients.list.map((row) => `${JSON.stringify(row)}\n`).join('')));
  if ('bytes' in recipients) {
    if (recipients.format === 'ndjson') return kept(recipients.bytes);
    return keepCsv(store, [recipients.bytes], schema, now);
  }
  const upload = store.contents.upload(space, recipients.upload);
  if (upload === undefined)
    throw new Refusal(404, 'unknown-upload', 'There is no such upload', {
      detail: `There is no "${recipients.upload}" in the space "${space}".`,
      hint: 'POST /v1/uploads?name=recipients.ndjson, with the file as its body.',
    });
  const format = recipients.format ?? (/csv/i.test(upload.type) || /\.csv$/i.test(upload.name) ? 'csv' : 'ndjson');
  if (format === 'ndjson') return () => upload.contentId;
  return keepCsv(store, store.contents.bytes(upload.contentId).chunks(), schema, now);
}

/**
 * Reads CSV once, so that a faulty file is refused at once, and rows are found again after a restart. Until they are used, they count as
 * unfinished, and go with what is. @throws Refusal
 */
async function keepCsv(store: Store, chunks: Iterable<Uint8Array>, schema: JsonSchema, now: number): Promise<(tx: Tx) => string> {
  const id = await store.write((tx) => store.contents.begin(tx, now));
  const hash = createHash('sha256');
  let [size, held] = [0, ''];
  const flush = async (): Promise<void> => {
    const bytes = Buffer.from(held);
    held = '';
    size += bytes.length;
    hash.update(bytes);
    await store.write((tx) => {
      store.contents.append(tx, id, bytes);
    });
  };
  try {
    for await (const row of rowsOfCsv(chunks, schema)) {
      held += `${row}\n`;
      if (held.length >= STEP_BYTES) await flush();
    }
    if (held !== '') await flush();
  } catch (error) {
    await store.write((tx) => {
      store.contents.drop(tx, id);
    });
    throw error;
  }
  return (tx) => {
    store.contents.end(tx, id, { hash: hash.digest('hex'), size });
    return id;
  };
}
