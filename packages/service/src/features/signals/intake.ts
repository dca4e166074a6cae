import { randomUUID } from 'node:crypto';
import type { IncomingHttpHeaders } from 'node:http';
import { isDeeper, jsonFault, SourceText } from '@verbalis/core/problems';
import { faultsOf, invalid, Refusal, type RequestProblem } from '../../kernel/index.js';
import { NewSignal } from './model.js';

/** Signals of one request at most. */
const MOST = 1000;
const MAX_DEPTH = 60;

/** The attributes of the binary mode (CloudEvents HTTP binding 1.0, 3.1.3.2): percent-encoded UTF-8. */
function attributesOf(headers: IncomingHttpHeaders): Record<string, string> {
  const out: Record<string, string> = {};
  for (const [name, value] of Object.entries(headers)) {
    const attribute = /^ce-([a-z0-9]{1,20})$/.exec(name)?.[1];
    if (attribute === undefined || typeof value !== 'string') continue;
    const text = value.replace(/^"(.*)"$/s, (_whole, inner: string) => inner.replace(/\\(.)/g, '$1'));
    try {
      out[attribute] = decodeURIComponent(text);
    } catch {
      out[attribute] = text;
    }
  }
  return out;
}

function parsed(body: Buffer): unknown {
  const text = body.toString('utf8');
  try {
    const value = JSON.parse(text) as unknown;
    if (!isDeeper(value, MAX_DEPTH)) return value;
  } catch {
    const { offset, message } = jsonFault(text);
    const { line, column } = new SourceText('body', text).place(offset);
    throw new Refusal(400, 'broken-json', 'The body is not valid JSON', { detail: `Line ${line}, column ${column}: ${message}.` });
  }
  throw invalid([{ path: '', message: `nests deeper than ${MAX_DEPTH} levels` }]);
}

/** What a signal must not have, since nothing would read it. */
function refuseBytes(value: unknown): RequestProblem[] {
  return typeof value === 'object' && value !== null && 'data_base64' in value
    ? [{ path: 'data_base64', message: 'cannot be read by rules', hint: 'Send JSON in "data".' }]
    : [];
}

function one(value: unknown, problems: RequestProblem[], at: string): NewSignal | undefined {
  const within = (path: string): string => [at, path].filter((part) => part !== '').join('.');
  const read = NewSignal.safeParse(value);
  const own = [...refuseBytes(value), ...(read.success ? [] : faultsOf(read.error, NewSignal))];
  problems.push(...own.map((fault) => ({ ...fault, path: within(fault.path) })));
  return own.length > 0 ? undefined : read.data;
}

/**
 * Reads the signals of a request: structured, binary or batched (CloudEvents HTTP binding 1.0, 3), distinguished by media type and header fields;
 * plain JSON is a structured one, or a list of them. @throws Refusal that names all faults
 */
export function readSignals(headers: IncomingHttpHeaders, body: Buffer): NewSignal[] {
  const type = headers['content-type']?.split(';')[0]?.trim().toLowerCase() ?? '';
  const problems: RequestProblem[] = [];
  if (headers['ce-type'] !== undefined || headers['ce-specversion'] !== undefined) {
    const data = body.length === 0 ? {} : { data: parsed(body) };
    const signal = one({ ...attributesOf(headers), ...data }, problems, '');
    if (signal === undefined) throw invalid(problems.map((fault) => ({ ...fault, path: `ce-${fault.path}` })));
    return [signal];
  }
  const value = parsed(body);
  const isBatch = type === 'application/cloudevents-batch+json';
  if (isBatch !== Array.isArray(value) && type !== 'application/json')
    throw invalid([{ path: '', message: isBatch ? 'must be a list of signals' : 'must be one signal' }]);
  const list: readonly unknown[] = Array.isArray(value) ? value : [value];
  if (list.length > MOST) throw invalid([{ path: '', message: `must hold at most ${MOST} signals` }]);
  const signals = list.map((entry, i) => one(entry, problems, Array.isArray(value) ? `[${i}]` : ''));
  if (problems.length > 0) throw invalid(problems.slice(0, 100));
  return signals.flatMap((signal) => signal ?? []);
}

/** The id of a signal that has none. */
export const freshId = (): string => randomUUID();
