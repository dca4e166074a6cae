import { webhookHeaders } from '@verbalis/core/events';
import { newId, OutsideFault, outsideConnections, refuseInside, type Clock, type OutsideRules } from '../../kernel/index.js';

/** A page of recipients, as an app gives it. */
export interface RecipientPage {
  readonly rows: readonly unknown[];
  /** What to ask with for the next one; null after the last. */
  readonly next: string | null;
}

interface Asking {
  readonly url: string;
  readonly cursor: string | null;
  /** What it is for, as the app sees it. */
  readonly run: Readonly<Record<string, unknown>>;
  readonly secret: string;
  readonly outside: OutsideRules & { readonly waitMs: number };
  readonly clock: Clock;
}

/** The largest page, in bytes and rows. */
const [MOST_BYTES, MOST_ROWS] = [16 * 1024 * 1024, 10_000];
const NEXT_HEADER = 'verbalis-next';

const ALLOW = ' Name it in outside.allow of the configuration.';

/** What an address that is asked for recipients has answered. */
export class SourceFault extends Error {
  override name = 'SourceFault';
  constructor(
    message: string,
    /** Whether trying again may help. */
    readonly isPassing: boolean,
  ) {
    super(message);
  }
}

function parsed(text: string, where: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    throw new SourceFault(`${where} is not valid JSON.`, false);
  }
}

/** NDJSON with the next cursor in a header field, or JSON: `{"recipients": […], "next": "…"}`. */
function pageOf(text: string, type: string, header: string | undefined): RecipientPage {
  if (/ndjson|jsonl|json-seq/.test(type)) {
    const lines = text.split('\n').filter((line) => line.trim() !== '');
    return { rows: lines.map((line, i) => parsed(line, `Line ${i + 1} of the answer`)), next: header ?? null };
  }
  const { recipients, next = null } = (parsed(text, 'The answer') ?? {}) as { readonly recipients?: unknown; readonly next?: unknown };
  if (!Array.isArray(recipients) || (next !== null && typeof next !== 'string'))
    throw new SourceFault('The answer is not {"recipients": […], "next": "…"}, nor NDJSON (application/x-ndjson).', false);
  return { rows: recipients, next };
}

/**
 * Asks an address of the app for a page of recipients, signed like a notification (Standard Webhooks 1.0).
 * @throws SourceFault
 */
export async function askForPage({ url, cursor, run, secret, outside, clock }: Asking): Promise<RecipientPage> {
  const connections = outsideConnections(outside, outside.waitMs);
  const body = JSON.stringify({ cursor, run });
  const at = clock.now();
  try {
    refuseInside(new URL(url), outside);
    const response = await connections.request(url, {
      method: 'POST',
      signal: AbortSignal.timeout(outside.waitMs),
      headers: {
        'content-type': 'application/json',
        accept: 'application/x-ndjson, application/json',
        ...webhookHeaders([secret], newId('p', at), at, body),
      },
      body,
    });
    const { statusCode, headers } = response;
    if (statusCode !== 200) {
      await response.body.dump();
      throw new SourceFault(`${url} answered ${statusCode}.`, statusCode === 408 || statusCode === 429 || statusCode >= 500);
    }
    const chunks: Buffer[] = [];
    let size = 0;
    for await (const chunk of response.body as AsyncIterable<Buffer>) {
      size += chunk.length;
      if (size > MOST_BYTES) throw new SourceFault(`A page of ${url} has more than ${MOST_BYTES} bytes.`, false);
      chunks.push(chunk);
    }
    const next = headers[NEXT_HEADER];
    const page = pageOf(
      Buffer.concat(chunks, size).toString('utf8'),
      String(headers['content-type'] ?? ''),
      typeof next === 'string' ? next : undefined,
    );
    if (page.rows.length > MOST_ROWS) throw new SourceFault(`A page of ${url} has more than ${MOST_ROWS} recipients.`, false);
    if (page.next !== null && page.next === cursor) throw new SourceFault(`${url} gave the cursor back that it was asked with.`, false);
    return page;
  } catch (error) {
    if (error instanceof SourceFault) throw error;
    if (error instanceof OutsideFault)
      throw new SourceFault(`${error.message}${/private network/.test(error.message) ? ALLOW : ''}`, error.passing);
    const { code, cause } = error as NodeJS.ErrnoException & { readonly cause?: NodeJS.ErrnoException };
    const isInside = (code ?? cause?.code) === 'EPRIVATE';
    throw new SourceFault(
      `${url} could not be reached: ${error instanceof Error ? error.message : String(error)}.${isInside ? ALLOW : ''}`,
      !isInside,
    );
  } finally {
    void connections.close();
  }
}
