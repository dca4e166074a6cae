import { FORMATS, instantOf, timeOfDay } from '../formats/index.js';
import { absolute, encode, fromData } from './addresses.js';
import type { Environment } from './environment.js';
import type { Address, Value } from './ops.js';
import { Fault } from '../problems/index.js';

export type Run<T> = (env: Environment) => T;

function step(of: unknown, name: unknown): unknown {
  if (of === null || typeof of !== 'object') return undefined;
  if (Array.isArray(of)) return typeof name === 'number' ? (of as unknown[])[name] : undefined;
  // Own properties only: nothing of Object's prototype can be reached.
  return typeof name === 'string' && Object.hasOwn(of, name) ? (of as Record<string, unknown>)[name] : undefined;
}

/** Whether a value counts as true in a test: absent, false, 0, the empty text and the empty list do not. */
export function truthy(value: unknown): boolean {
  return Array.isArray(value) ? value.length > 0 : Boolean(value);
}

function equal(a: unknown, b: unknown): boolean {
  return (a ?? null) === (b ?? null);
}

/** Numbers end somewhere, and never in a word. */
function finite(value: number): number {
  return Number.isFinite(value) ? value : Math.sign(value) * Number.MAX_VALUE;
}

const TWO: Readonly<Record<string, (a: never, b: never) => unknown>> = {
  '+': (a: number, b: number) => (typeof a === 'number' && typeof b === 'number' ? finite(a + b) : put(a) + put(b)),
  '-': (a: number, b: number) => finite(a - b),
  '*': (a: number, b: number) => finite(a * b),
  // By 0 there is no result, which is what absence means.
  '/': (a: number, b: number) => (b === 0 ? undefined : finite(a / b)),
  '%': (a: number, b: number) => (b === 0 ? undefined : a % b),
  '==': equal,
  '!=': (a: unknown, b: unknown) => !equal(a, b),
  '<': (a: number, b: number) => a < b,
  '<=': (a: number, b: number) => a <= b,
  '>': (a: number, b: number) => a > b,
  '>=': (a: number, b: number) => a >= b,
};

/** A value as text, before it is escaped. */
export function put(value: unknown): string {
  if (typeof value === 'string') return value;
  if (value === undefined || value === null) return '';
  if (typeof value === 'number') return Object.is(value, -0) ? '0' : String(value);
  return typeof value === 'boolean' ? String(value) : '';
}

/** Turns an expression into a function, so that rendering does no look-ups by name of operation. */
export function compileValue(value: Value): Run<unknown> {
  switch (value.k) {
    case 'const': {
      const constant = value.value;
      return () => constant;
    }
    case 'path':
      return compilePath(value.root, value.steps);
    case 'step': {
      const of = compileValue(value.of);
      const { step: wanted } = value;
      if (typeof wanted === 'string') return (env) => step(of(env), wanted);
      const name = compileValue(wanted);
      return (env) => step(of(env), name(env));
    }
    case 'not': {
      const of = compileValue(value.of);
      return (env) => !truthy(of(env));
    }
    case 'negate': {
      const of = compileValue(value.of);
      return (env) => -(of(env) as number);
    }
    case 'choose': {
      const [test, yes, no] = [compileValue(value.test), compileValue(value.yes), compileValue(value.no)];
      return (env) => (truthy(test(env)) ? yes(env) : no(env));
    }
    case 'two':
      return value.moment === undefined ? compileTwo(value) : compileMoments(value, value.moment);
    case 'url':
      return compileAddress(value.address);
    case 'format':
      return compileFormat(value);
    case 'say': {
      const { key, at } = value;
      const values = value.values.map(({ name, value }) => [name, compileValue(value)] as const);
      return (env) => env.say(key, Object.fromEntries(values.map(([name, run]) => [name, run(env)])), at);
    }
  }
}

function compilePath(root: 'data' | 'mail' | number, steps: readonly (string | Value)[]): Run<unknown> {
  const from: Run<unknown> = typeof root === 'number' ? (env) => env.slots[root] : root === 'data' ? (env) => env.data : (env) => env.mail;
  const [one, two, three] = steps;
  if (steps.length === 1 && typeof one === 'string') return (env) => step(from(env), one);
  if (steps.length === 2 && typeof one === 'string' && typeof two === 'string') return (env) => step(step(from(env), one), two);
  if (steps.length === 3 && typeof one === 'string' && typeof two === 'string' && typeof three === 'string') {
    return (env) => step(step(step(from(env), one), two), three);
  }
  const names = steps.map((name) => (typeof name === 'string' ? name : compileValue(name)));
  return (env) => {
    let at = from(env);
    for (const name of names) at = step(at, typeof name === 'string' ? name : name(env));
    return at;
  };
}

function compileTwo(value: Extract<Value, { k: 'two' }>): Run<unknown> {
  const [a, b] = [compileValue(value.a), compileValue(value.b)];
  switch (value.operator) {
    case '??':
      return (env) => a(env) ?? b(env);
    case 'and':
      return (env) => truthy(a(env)) && truthy(b(env));
    case 'or':
      return (env) => truthy(a(env)) || truthy(b(env));
    case '-':
    case '!=':
    case '*':
    case '/':
    case '%':
    case '+':
    case '<':
    case '<=':
    case '==':
    case '>':
    case '>=':
    default: {
      const run = TWO[value.operator] as (a: unknown, b: unknown) => unknown;
      return (env) => run(a(env), b(env));
    }
  }
}

/** Dates, date-times and times are compared by when they are, whatever offsets they are written with. */
function compileMoments(value: Extract<Value, { k: 'two' }>, moment: 'date-time' | 'date' | 'time'): Run<unknown> {
  const [a, b] = [compileValue(value.a), compileValue(value.b)];
  const run = TWO[value.operator] as (a: unknown, b: unknown) => unknown;
  const when = (value: unknown): unknown => {
    if (typeof value !== 'string') return value;
    return moment === 'time' ? timeOfDay(value) : instantOf(value);
  };
  return (env) => {
    const [one, other] = [a(env), b(env)];
    return inOrderAsWritten(one, other, moment) ? run(one, other) : run(when(one), when(other));
  };
}

/** Whether two moments compare as their letters do: calendar dates, and what is written alike in UTC. That spares reading them. */
function inOrderAsWritten(a: unknown, b: unknown, moment: string): boolean {
  if (typeof a !== 'string' || typeof b !== 'string') return false;
  return moment === 'date' || (a.length === b.length && a.endsWith('Z') && b.endsWith('Z') && a[10] === b[10]);
}

function compileFormat(value: Extract<Value, { k: 'format' }>): Run<unknown> {
  const format = FORMATS.get(value.name);
  if (format === undefined)
    throw new Fault('unknown-formatter', `This program needs a formatter "${value.name}" that is not there.`, { at: value.at });
  const of = compileValue(value.of);
  const args = value.args.map(compileValue);
  const run = format.run as unknown as (value: unknown, args: readonly unknown[], context: Environment['context']) => unknown;
  const passes = format.name !== 'default';
  return (env) => {
    const given = of(env);
    // Absence passes through every formatter but the one that fills it.
    if (passes && (given === undefined || given === null)) return undefined;
    try {
      return run(
        given,
        args.map((arg) => arg(env) ?? undefined),
        env.context,
      );
    } catch (error) {
      if (error instanceof Fault || error instanceof RangeError || error instanceof TypeError) {
        throw new Fault('format-value', `"${value.name}": ${error.message}`, { at: value.at });
      }
      throw error;
    }
  };
}

/** An address as a function from data to an absolute URL. */
export function compileAddress({ parts, at }: Address): Run<string> {
  if (parts.every((part) => typeof part === 'string')) {
    const whole = parts.join('');
    const kept = new Map<string, string>();
    return (env) => {
      let found = kept.get(env.baseUrl);
      if (found === undefined) kept.set(env.baseUrl, (found = absolute(whole, env.baseUrl, at)));
      return found;
    };
  }
  const runs = parts.map((part) => (typeof part === 'string' ? part : { part, run: compileValue(part.value) }));
  const text = (list: typeof runs, env: Environment): string =>
    list.map((piece) => (typeof piece === 'string' ? piece : encode(piece.part, put(piece.run(env))))).join('');
  const [first, ...rest] = runs;
  if (typeof first === 'object' && first.part.encode === 'whole') {
    // What `mail` holds is made by the service, not by data.
    const isOurs = first.part.value.k === 'path' && first.part.value.root === 'mail';
    return (env) => {
      const given = put(first.run(env));
      const base = isOurs ? absolute(given, env.baseUrl, at) : fromData(given, env, at);
      if (rest.length === 0) return base;
      const tail = text(rest, env);
      const url = absolute(base.endsWith('/') && tail.startsWith('/') ? base + tail.slice(1) : base + tail, '', at);
      // What follows can only ever add to the address.
      if (new URL(url).host !== new URL(base).host) throw new Fault('link-malformed', `"${url.slice(0, 80)}" leads elsewhere.`, { at });
      return url;
    };
  }
  return (env) => {
    const whole = text(runs, env);
    // Two slashes at the start, the second of them from an empty value, would name a host.
    const rooted = /^[/\\]/.test(whole) && typeof first === 'string' && !/^\s*[/\\]{2}/.test(first);
    return rooted && env.baseUrl !== '' ? absolute(new URL(env.baseUrl).origin + whole, '', at) : absolute(whole, env.baseUrl, at);
  };
}
