import { mediaType } from '@verbalis/core/mime';
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
  const found = wanted.flatMap((attachment, i): Found[] => {
    const path = `attachments[${i}]`;
    const fault = (message: string, hint?: string): [] => {
      problems.push({ path, message, hint });
      return [];
    };
    const nameFrom = (text: string): string => attachment.name ?? (text.split('/').pop() || 'file');
    if (/[\u0000-\u001F\u007F/\\]/.test(attachment.name ?? '')) return fault('has a name with a slash, line break or control character');
    if (attachment.content !== undefined) {
      if (attachment.name === undefined) return fault('has no name');
      const text = attachment.content.replace(/\s+/g, '');
      if (!BASE64.test(text)) return fault('is no base64', 'Give the file’s bytes in base64 (RFC 4648 4).');
      const bytes = Buffer.from(text, 'base64');
      total += bytes.length;
      return [{ name: attachment.name, type: attachment.type ?? mediaType(attachment.name), url: null, contentId: null, bytes }];
    }
    if (attachment.file !== undefined) {
      const bytes = edition.project.assets.get(attachment.file);
      if (bytes === undefined)
        return fault(
          `there is no file "${attachment.file}" in the mail folder`,
          didYouMean(attachment.file, edition.project.assets.keys()),
        );
      total += bytes.length;
      const name = nameFrom(attachment.file);
      return [{ name, type: attachment.type ?? mediaType(name), url: null, contentId: null, bytes }];
    }
    if (attachment.upload !== undefined) {
      const upload = store.contents.upload(space, attachment.upload);
      if (upload === undefined)
        return fault(`there is no upload "${attachment.upload}"`, 'Hand the file in first: POST /v1/uploads?name=NAME.');
      total += store.contents.find(upload.contentId)?.size ?? 0;
      return [{ name: attachment.name ?? upload.name, type: attachment.type ?? upload.type, url: null, contentId: upload.contentId }];
    }
    let url: URL;
    try {
      url = new URL(attachment.url ?? '');
    } catch {
      return fault('has an address that is none', 'Give an absolute http or https address.');
    }
    if (!/^https?:$/.test(url.protocol)) return fault(`has an address with "${url.protocol}"`, 'Only http and https are fetched.');
    const name = nameFrom(decodeURIComponent(url.pathname));
    return [{ name, type: attachment.type ?? '', url: url.href, contentId: null }];
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
