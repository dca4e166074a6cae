import type { Query } from './call.js';
import type { components } from './generated/api.js';

type Schemas = components['schemas'];
export type CapturedSummary = Schemas['CapturedSummary'];
export type CapturedView = Schemas['CapturedMail'];
export type CapturedList = Schemas['CapturedList'];
export type CapturedListFilter = Query<'captured.list'>;
export type Simulation = Schemas['Simulation'];
export type SimulatedOutcome = Simulation['outcome'];
export type Cause = Schemas['Cause'];

/** Which captured emails are meant. */
export interface CapturedFilter {
  /** The recipient's address. */
  readonly to?: string | undefined;
  /** Words that the subject holds, whatever their case. */
  readonly subject?: string | undefined;
  /** Words that the mail holds anywhere. */
  readonly find?: string | undefined;
}

export interface CapturedWaitFilter extends CapturedFilter {
  /** Only what came at this time or later, which excludes emails of an earlier test. */
  readonly after?: Date | string | undefined;
}

export interface CapturedAttachment {
  /** Its number among the parts of the mail. */
  readonly part: number;
  readonly name: string;
  readonly type: string;
  /** Bytes. */
  readonly size: number;
  /** Whether the HTML shows it. */
  readonly inline: boolean;
  /** Fetches its bytes. */
  readonly content: () => Promise<Uint8Array>;
}

/** A captured mail, read: what a test wants to look at. */
export interface CapturedMail {
  readonly id: string;
  readonly receivedAt: Date;
  readonly to: string;
  readonly from: string;
  readonly subject: string;
  readonly text: string;
  readonly html: string;
  readonly links: readonly { readonly text: string; readonly href: string }[];
  /** The likeliest one-time code; all of them are in `codes`. */
  readonly code: string | undefined;
  readonly codes: readonly string[];
  readonly headers: readonly { readonly name: string; readonly value: string }[];
  readonly attachments: readonly CapturedAttachment[];
  /** Bytes of the whole mail. */
  readonly size: number;
  /** The message it was asked for by. */
  readonly messageId: string | undefined;
  /** The first header field of a name, whatever its case. */
  readonly header: (name: string) => string | undefined;
  /** The address of the first link whose words or address fit. @throws Error naming the links there are */
  readonly link: (which: string | RegExp) => string;
  /** The bytes as they came. */
  readonly source: () => Promise<Uint8Array>;
}

/** Makes a view pleasant to use. */
export function capturedMail(
  view: CapturedView,
  fetchBytes: {
    readonly source: (id: string) => Promise<Uint8Array>;
    readonly attachment: (id: string, part: number) => Promise<Uint8Array>;
  },
): CapturedMail {
  const { files, codes, links, headers, receivedAt, messageId } = view;
  const fits = (which: string | RegExp, text: string): boolean => (typeof which === 'string' ? text.includes(which) : which.test(text));
  return {
    id: view.id,
    receivedAt: new Date(receivedAt),
    to: view.to,
    from: view.from,
    subject: view.subject,
    text: view.text,
    html: view.html,
    links,
    code: codes[0],
    codes,
    headers,
    attachments: files.map(({ part, name, type, size, inline }) => ({
      part,
      name,
      type,
      size,
      inline,
      content: () => fetchBytes.attachment(view.id, part),
    })),
    size: view.size,
    messageId,
    header: (name) => headers.find((header) => header.name.toLowerCase() === name.toLowerCase())?.value,
    link: (which) => {
      const found = links.find((link) => fits(which, link.text) || fits(which, link.href));
      if (found === undefined)
        throw new Error(
          `No link fits ${String(which)}. There are: ${links.map((link) => `"${link.text}" (${link.href})`).join(', ') || 'none'}.`,
        );
      return found.href;
    },
    source: () => fetchBytes.source(view.id),
  };
}
