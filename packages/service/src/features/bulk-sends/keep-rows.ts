import { createHash } from 'node:crypto';
import type { JsonSchema } from '@verbalis/core/typing';
import { Refusal } from '../../kernel/index.js';
import { rowsOfCsv } from './csv.js';
import type { BulkRecipient } from './model.js';
import type { Store } from './store.js';

export interface RowsOptions {
  readonly store: Store;
  /** The data schema of a template. @throws Refusal where it cannot be sent to many */
  readonly templateOf: (space: string, wanted: { readonly template: string; readonly essential: boolean }) => Promise<JsonSchema>;
}

interface Rows {
  readonly space: string;
  readonly recipients:
    { readonly list: readonly BulkRecipient[] } | { readonly upload: string; readonly format?: 'ndjson' | 'csv' | undefined };
  readonly schema: JsonSchema;
  readonly now: number;
}

/** Bytes that one transaction writes. */
const STEP_BYTES = 256 * 1024;

/** Keeps the rows of a bulk send as NDJSON, for as long as it reads them. @returns the id of the contents @throws Refusal */
export async function keepRows({ store }: RowsOptions, { space, recipients, schema, now }: Rows): Promise<string> {
  if ('list' in recipients) {
    const bytes = Buffer.from(recipients.list.map((row) => `${JSON.stringify(row)}\n`).join(''));
    return store.write((tx) => store.contents.keep(tx, bytes, now).id);
  }
  const upload = store.contents.upload(space, recipients.upload);
  if (upload === undefined)
    throw new Refusal(404, 'unknown-upload', 'There is no such upload', {
      detail: `There is no "${recipients.upload}" in the space "${space}".`,
      hint: 'POST /v1/uploads?name=recipients.ndjson, with the file as its body.',
    });
  const format = recipients.format ?? (/csv/i.test(upload.type) || /\.csv$/i.test(upload.name) ? 'csv' : 'ndjson');
  if (format === 'ndjson') return upload.contentId;
  // Read once here, so that a faulty file is refused at once, and rows are found again after a restart.
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
    for await (const row of rowsOfCsv(store.contents.bytes(upload.contentId).chunks(), schema)) {
      held += `${row}\n`;
      if (held.length >= STEP_BYTES) await flush();
    }
    if (held !== '') await flush();
    await store.write((tx) => {
      store.contents.end(tx, id, { hash: hash.digest('hex'), size });
    });
  } catch (error) {
    await store.write((tx) => {
      store.contents.drop(tx, id);
    });
    throw error;
  }
  return id;
}
