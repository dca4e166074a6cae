import { didYouMean, isDeeper, issueWords, jsonFault, SourceText } from '@verbalis/core/problems';
import type { ErrorRequestHandler, Request, Response } from 'express';
import type { Logger } from 'pino';
import * as z from 'zod';
import { unavailableOf } from './group-commit.js';
import { invalid, Refusal, type RequestProblem } from './refusal.js';

/** Levels of lists and records that a request may have: past some thousands, nothing could go through it, not even to store it. */
const MAX_BODY_DEPTH = 300;

/** @throws Refusal when a body nests without end */
export function refuseDeep(body: unknown): void {
  if (isDeeper(body, MAX_BODY_DEPTH)) throw invalid([{ path: '', message: `nests deeper than ${MAX_BODY_DEPTH} levels` }]);
}

/** Writes a refusal as application/problem+json (RFC 9457). */
function sendProblem(response: Response, refusal: Refusal): void {
  const { detail, hint, problems, retryAfterSeconds } = refusal.more;
  if (retryAfterSeconds !== undefined) response.setHeader('Retry-After', String(retryAfterSeconds));
  response.setHeader('X-Content-Type-Options', 'nosniff');
  if (refusal.status === 401) response.setHeader('WWW-Authenticate', 'Bearer');
  response
    .status(refusal.status)
    .type('application/problem+json')
    .send(
      JSON.stringify({
        type: `urn:verbalis:problem:${refusal.type}`,
        title: refusal.title,
        status: refusal.status,
        detail,
        hint,
        problems,
      }),
    );
}

function pathText(path: readonly PropertyKey[]): string {
  return path.reduce<string>(
    (text, step) => (typeof step === 'number' ? `${text}[${step}]` : text === '' ? String(step) : `${text}.${String(step)}`),
    '',
  );
}

function knownKeys(schema: z.ZodType | undefined, path: readonly PropertyKey[]): string[] {
  let at: z.ZodType | undefined = schema;
  for (const step of path) {
    while (at instanceof z.ZodOptional || at instanceof z.ZodDefault) at = at.unwrap() as z.ZodType;
    at =
      at instanceof z.ZodObject
        ? (at.shape as Record<string, z.ZodType>)[String(step)]
        : at instanceof z.ZodArray
          ? (at.element as z.ZodType)
          : undefined;
  }
  return at instanceof z.ZodObject ? Object.keys(at.shape) : [];
}

function faults(issue: z.core.$ZodIssue, schema: z.ZodType, prefix: readonly PropertyKey[]): RequestProblem[] {
  const path = [...prefix, ...issue.path];
  if (issue.code === 'unrecognized_keys') {
    const known = knownKeys(schema, issue.path);
    return issue.keys.map((key) => ({ path: pathText([...path, key]), message: 'is not a field here', hint: didYouMean(key, known) }));
  }
  if (issue.code === 'invalid_union') {
    // What the nearest of the alternatives says: the one that got furthest.
    const deepest = [...issue.errors].sort(
      (a, b) => Math.max(0, ...b.map(({ path }) => path.length)) - Math.max(0, ...a.map(({ path }) => path.length)),
    )[0];
    if (deepest !== undefined && deepest.some(({ path, code }) => path.length > 0 || code === 'unrecognized_keys')) {
      return deepest.flatMap((inner) => faults(inner, schema, path));
    }
    return [{ path: pathText(path), message: 'has none of the shapes that are allowed here' }];
  }
  return [{ path: pathText(path), message: issueWords(issue) }];
}

/** What is wrong with an input, by path. */
export function faultsOf(error: z.ZodError, schema: z.ZodType): RequestProblem[] {
  return error.issues.flatMap((issue) => faults(issue, schema, []));
}

/** The last stop of every request that failed: refusals as they are, everything else as a fault of ours, logged. */
export function problemHandler(log: Logger): ErrorRequestHandler {
  // Express tells an error handler by its four parameters.
  return (error: unknown, request: Request, response: Response, next): void => {
    if (response.headersSent) {
      next(error);
      return;
    }
    if (error instanceof Refusal) {
      sendProblem(response, error);
      return;
    }
    const unavailable = unavailableOf(error);
    if (unavailable !== undefined) {
      log.error({ err: error }, 'a request met a database that cannot be used');
      const { message, retryAfterSeconds } = unavailable;
      sendProblem(
        response,
        new Refusal(503, 'store-unavailable', 'The service cannot store anything at the moment', {
          detail: `${message} Nothing was stored.`,
          hint: 'Send the same request again a little later, with the same Idempotency-Key.',
          retryAfterSeconds,
        }),
      );
      return;
    }
    const { type, status, body, limit } = (error ?? {}) as { type?: string; status?: number; body?: unknown; limit?: number };
    if (type === 'entity.too.large') {
      sendProblem(
        response,
        new Refusal(413, 'too-large', 'The request is too large', {
          detail: `A request to this address has at most ${limit ?? 0} bytes.`,
          hint: 'Raise limits.bodyBytes in verbalis.yaml if this is what you want.',
        }),
      );
    } else if (type === 'entity.parse.failed') {
      sendProblem(response, new Refusal(400, 'malformed-json', 'The body is not JSON', { detail: placeOfFault(body) }));
    } else if (status !== undefined && status >= 400 && status < 500) {
      sendProblem(
        response,
        new Refusal(status, 'bad-request', 'The request cannot be read', { detail: error instanceof Error ? error.message : undefined }),
      );
    } else {
      log.error({ err: error, method: request.method, path: request.path }, 'a request failed');
      sendProblem(
        response,
        new Refusal(500, 'internal', 'Something went wrong here', {
          detail: 'The fault is the service’s own and has been logged. Nothing was stored.',
        }),
      );
    }
  };
}

function placeOfFault(body: unknown): string {
  if (typeof body !== 'string') return 'It cannot be read.';
  const { offset, message } = jsonFault(body);
  const { line, column } = new SourceText('body', body).place(offset);
  return `Line ${line}, column ${column}: ${message}.`;
}
