import { parseFields, parseJson, parseXml, UnreadableContent } from './contents.js';
import type { ProfileFaults } from './faults.js';
import type { Callbacks } from './schema-callbacks.js';
import { compileSource, type CompiledSource, type SourceContext } from './sources.js';

/** A call as it came. */
export interface Call {
  readonly method: string;
  /** The whole address that was called, as the caller knows it: "https://mail.example/v1/returns/parcel?token=…". */
  readonly url: string;
  /** By name in lower case. */
  readonly headers: Readonly<Record<string, string | readonly string[] | undefined>>;
  readonly body: Buffer;
}

/** The content of a call: as it is in the bytes, and as its events are looked for in it. */
export interface CallContent {
  /** After the first step, for signatures and handshakes: the fields of the form, the JSON around. */
  readonly outside: unknown;
  /** After all steps. */
  readonly inside: unknown;
}

/** Most values of a call that comes as JSON lines. */
const MOST_LINES = 5000;

function headerOf(headers: Call['headers'], name: string): string | undefined {
  const value = headers[name.toLowerCase()];
  return typeof value === 'string' ? value : value?.[0];
}

function queryOf(url: string, name: string): string | undefined {
  return URL.canParse(url) ? (new URL(url).searchParams.get(name) ?? undefined) : undefined;
}

/** What sources of a call look into; "$" is what stands outside. */
export function contextOf(call: Call, here: unknown): SourceContext {
  return { here, call: here, header: (name) => headerOf(call.headers, name), query: (name) => queryOf(call.url, name) };
}

type Step = (value: unknown) => unknown;

function textOf(value: unknown): string {
  if (Buffer.isBuffer(value)) return value.toString('utf8');
  if (typeof value === 'string') return value;
  throw new UnreadableContent('There is no text where the profile reads on.');
}

function compileStep(step: Callbacks['read'][number], path: string, faults: ProfileFaults): Step {
  if (typeof step === 'object') {
    const source = compileSource(step.at, ['here']);
    if (typeof source === 'string') {
      faults.add(path, source);
      return (value) => value;
    }
    return (value) => {
      const found = source.read({ here: value });
      if (found === undefined) throw new UnreadableContent(`There is nothing at ${step.at}.`);
      return found;
    };
  }
  switch (step) {
    case 'json':
      return (value) => parseJson(textOf(value));
    case 'xml':
      return (value) => parseXml(textOf(value));
    case 'form':
      return (value) => parseFields(textOf(value));
    case 'lines':
      return (value) => {
        const lines = textOf(value)
          .split('\n')
          .filter((line) => line.trim() !== '');
        if (lines.length > MOST_LINES) throw new UnreadableContent(`It has more than ${MOST_LINES} lines.`);
        return lines.map(parseJson);
      };
    case 'base64':
    case 'base64url':
      return (value) => Buffer.from(textOf(value), step);
  }
}

export interface ReadContent {
  /** @throws UnreadableContent */
  readonly read: (body: Buffer) => CallContent;
  /** What stands outside; undefined where even that cannot be read. Never throws. */
  readonly outside: (body: Buffer) => unknown;
}

/** Compiles how the content of a call is read. */
export function readContent(steps: Callbacks['read'], faults: ProfileFaults): ReadContent {
  const compiled = steps.map((step, i) => compileStep(step, `callbacks.read.${i}`, faults));
  const [first = (value: unknown) => value, ...rest] = compiled;
  return {
    read: (body) => {
      const outside = first(body);
      return { outside, inside: rest.reduce((value, step) => step(value), outside) };
    },
    outside: (body) => {
      try {
        return first(body);
      } catch (error) {
        if (!(error instanceof UnreadableContent)) throw error;
        return undefined;
      }
    },
  };
}

/** Compiles a source of a profile, and says what is wrong with it. */
export function sourceAt(
  written: string | undefined,
  path: string,
  { kinds, faults }: { readonly kinds: Parameters<typeof compileSource>[1]; readonly faults: ProfileFaults },
): CompiledSource | undefined {
  if (written === undefined) return undefined;
  const source = compileSource(written, kinds);
  if (typeof source !== 'string') return source;
  faults.add(path, source);
  return undefined;
}
