import type { IncomingHttpHeaders } from 'node:http';

/** Which trace of the app's a message belongs to (W3C Trace Context, level 1). */
export interface TraceContext {
  readonly traceparent: string;
  readonly tracestate?: string;
}

/** W3C Trace Context 3.2.2; a version that we do not know may have more behind it (3.2.4). */
const PARENT = /^(?!ff)[0-9a-f]{2}-(?!0{32})[0-9a-f]{32}-(?!0{16})[0-9a-f]{16}-[0-9a-f]{2}$/;
const LATER_PARENT = /^(?!ff|00)[0-9a-f]{2}-(?!0{32})[0-9a-f]{32}-(?!0{16})[0-9a-f]{16}-[0-9a-f]{2}(?:-[\x21-\x7E]{0,200})?$/;
/** W3C Trace Context 3.3.1.5: at least so much is to be passed on. */
const MOST_STATE = 512;

/**
 * The trace context of a request, to be passed on as it is: the service makes no spans of its own. One that is not valid is none, as the
 * standard wants it.
 */
export function traceOf(headers: IncomingHttpHeaders): TraceContext | undefined {
  const { traceparent, tracestate } = headers;
  if (typeof traceparent !== 'string' || !(PARENT.test(traceparent) || LATER_PARENT.test(traceparent))) return undefined;
  const state = Array.isArray(tracestate) ? tracestate.join(',') : tracestate;
  const isKept = state !== undefined && state !== '' && state.length <= MOST_STATE && /^[\t\x20-\x7E]+$/.test(state);
  return { traceparent, ...(isKept ? { tracestate: state } : {}) };
}
