import { typeOfName } from '@verbalis/core/program';
import { didYouMean } from '@verbalis/core/problems';
import type { LoadedEdition } from '../editions/index.js';
import type { Tx, RequestProblem } from '../../kernel/index.js';
import type { AttachmentRow } from './queries.js';
import type { AttachmentRequest } from './model.js';
import type { Store } from './store.js';

interface Surroundings {
  readonly store: Store;
  readonly edition: LoadedEdition;
  readonly space: string;
  /** Of all together, in bytes. */
  readonly most: number;
  readonly now: number;
}

type Found = Pick<AttachmentRow, 'name' | 'type' | 'url' | 'contentId'> & { readonly bytes?: Uint8Array };

const BASE64 = /^(?:[A-Za-z0-9+/]{4})*(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?$/;

/** Looks at what is to be attached. `keep` writes it; it is called within the transaction that accepts the message. */
export function attachmentsOf(
  wanted: readonly AttachmentRequest[],
  { store, edition, space, most, now }: Surroundings,
  problems: RequestProblem[],
): { keep: (tx: Tx, messageId: string) => AttachmentRow[] } {
  let total = 0;
  const found = wanted.flatMap((one, i): Found[] => {
    const path = `attachments[${i}]`;
    const fault = (message: string, hint?: string): [] => {
      problems.push({ path, message, hint });
      return [];
    };
    const nameFrom = (text: string): string => one.name ?? (text.split('/').pop() || 'file');
    if (/[\u0000-\u001F\u007F/\\]/.test(one.name ?? '')) return fault('has a name with a slash, line break or control character');
    if (one.content !== undefined) {
      if (one.name === undefined) return fault('has no name');
      const text = one.content.replace(/\s+/g, '');
      if (!BASE64.test(text)) return fault('is no base64', 'Give the file’s bytes in base64 (RFC 4648 4).');
      const bytes = Buffer.from(text, 'base64');
      total += bytes.length;
      return [{ name: one.name, type: one.type ?? typeOfName(one.name), url: null, contentId: null, bytes }];
    }
    if (one.file !== undefined) {
      const bytes = edition.project.assets.get(one.file);
      if (bytes === undefined)
        return fault(`there is no file "${one.file}" in the mail folder`, didYouMean(one.file, edition.project.assets.keys()));
      total += bytes.length;
      const name = nameFrom(one.file);
      return [{ name, type: one.type ?? typeOfName(name), url: null, contentId: null, bytes }];
    }
    if (one.upload !== undefined) {
      const upload = store.contents.upload(space, one.upload);
      if (upload === undefined) return fault(`there is no upload "${one.upload}"`, 'Hand the file in first: POST /v1/uploads?name=NAME.');
      total += store.contents.find(upload.contentId)?.size ?? 0;
      return [{ name: one.name ?? upload.name, type: one.type ?? upload.type, url: null, contentId: upload.contentId }];
    }
    let url: URL;
    try {
      url = new URL(one.url ?? '');
    } catch {
      return fault('has an address that is none', 'Give an absolute http or https address.');
    }
    if (!/^https?:$/.test(url.protocol)) return fault(`has an address with "${url.protocol}"`, 'Only http and https are fetched.');
    const name = nameFrom(decodeURIComponent(url.pathname));
    return [{ name, type: one.type ?? '', url: url.href, contentId: null }];
  });
  if (total > most)
    problems.push({
      path: 'attachments',
      message: `have ${total} bytes together, more than ${most}`,
      hint: 'Link to a page that has them.',
    });
  return {
    keep: (tx, messageId) =>
      found.map(({ bytes, ...row }, n) => ({
        messageId,
        n,
        ...row,
        contentId: bytes === undefined ? row.contentId : store.contents.keep(tx, bytes, now).id,
      })),
  };
}
