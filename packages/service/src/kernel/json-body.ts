import express, { type Request, type Response } from 'express';

/** Reads the body of a request into `request.body`. @throws what Express's own reader throws: an error with a status */
export type BodyReader = (request: Request, response: Response) => Promise<void>;

/** Media types of nearly all bodies, in UTF-8 as JSON always is (RFC 8259, section 8.1). */
const PLAIN = /^application\/json(?:; ?charset=utf-8)?$/i;

/** The length of a body that needs no decoding; undefined where Express's reader has to look. */
function plainLength({ headers }: Request): number | undefined {
  const { 'content-length': length, 'content-encoding': encoding, 'content-type': type, 'transfer-encoding': transfer } = headers;
  if (encoding !== undefined || transfer !== undefined || type === undefined || !PLAIN.test(type)) return undefined;
  return length === undefined ? undefined : Number(length);
}

function parsed(text: string): unknown {
  const start = text.charCodeAt(0) === 0xfeff ? 1 : 0;
  try {
    return JSON.parse(start === 0 ? text : text.slice(start));
  } catch (error) {
    throw Object.assign(error as SyntaxError, { type: 'entity.parse.failed', status: 400, body: text });
  }
}

function textOf(request: Request): Promise<string> {
  return new Promise((done, fail) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => {
      chunks.push(chunk);
    });
    request.once('end', () => {
      const [first] = chunks;
      done(chunks.length === 1 && first !== undefined ? first.toString('utf8') : Buffer.concat(chunks).toString('utf8'));
    });
    // The other side has gone; there is nobody to answer.
    request.once('error', (error) => {
      fail(Object.assign(error, { type: 'request.aborted', status: 400 }));
    });
  });
}

/**
 * Reads JSON bodies. One that is sent plainly and whole, as nearly all are, is read here, which takes less time (docs/performance.md);
 * what is compressed, in pieces, in another encoding or too large goes to Express's reader.
 * @param mostBytes the largest body
 */
export function jsonBodyReader(mostBytes: number): BodyReader {
  const other = express.json({ limit: mostBytes, strict: false, type: () => true });
  return async (request, response) => {
    const length = plainLength(request);
    if (length !== undefined && length > 0 && length <= mostBytes) {
      request.body = parsed(await textOf(request));
      return;
    }
    await through(other, request, response);
  };
}

/** Reads bodies of any type as bytes. @param mostBytes the largest body */
export function bytesReader(mostBytes: number): BodyReader {
  const reader = express.raw({ type: () => true, limit: mostBytes });
  return (request, response) => through(reader, request, response);
}

/** Lets middleware of Express do its part. */
function through(middleware: express.RequestHandler, request: Request, response: Response): Promise<void> {
  return new Promise((done, fail) => {
    void middleware(request, response, (error?: Error | 'route' | 'router') => {
      if (error instanceof Error) fail(error);
      else done();
    });
  });
}
