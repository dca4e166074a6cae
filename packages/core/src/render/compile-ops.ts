import { boldWidth } from '../text/index.js';
import { isColor, isLength } from '../formats/index.js';
import { countTurn, MAX_OUTPUT, type Environment } from './environment.js';
import { escapeHtml, escapeLine, escapeText, htmlLines, textLines } from './escape.js';
import type { EachOp, Escape, LetOp, Op, Steer } from './ops.js';
import { piecesOf } from '../strings/index.js';
import { compileAddress, compileValue, put, truthy, type Run } from './values.js';
import { Fault } from '../problems/index.js';

const ESCAPES: Readonly<Record<Escape, (text: string) => string>> = {
  html: escapeHtml,
  text: escapeText,
  line: escapeLine,
  'html-lines': htmlLines,
  'text-lines': textLines,
};

/** Operations as one function from data to text: concatenation, and nothing decided that could be decided before. */
export function compileOps(ops: readonly Op[]): Run<string> {
  const parts = ops.map((op): string | Run<string> => (typeof op === 'string' ? op : compileOp(op)));
  if (parts.length === 0) return () => '';
  const [only] = parts;
  if (parts.length === 1 && only !== undefined) return typeof only === 'string' ? () => only : only;
  return (env) => {
    let out = '';
    for (let i = 0; i < parts.length; i += 1) {
      const part = parts[i] as string | Run<string>;
      out += typeof part === 'string' ? part : part(env);
    }
    if (out.length > MAX_OUTPUT) {
      throw new Fault('too-much-output', 'This mail is larger than 2 MiB.', {
        hint: 'Send fewer entries, or link to a page that lists them.',
      });
    }
    return out;
  };
}

/** Bounds of a button, and the room beside its words, in CSS pixels. */
const [NARROWEST, WIDEST, BESIDE] = [120, 520, 52];

function compileOp(op: Exclude<Op, string>): Run<string> {
  switch (op.op) {
    case 'put': {
      const value = compileValue(op.value);
      const escape = ESCAPES[op.as];
      return (env) => {
        const text = value(env);
        return typeof text === 'string' ? escape(text) : escape(put(text));
      };
    }
    case 'address': {
      const escape = op.as === 'html' ? escapeHtml : (text: string) => text;
      const address = compileAddress(op.address);
      return (env) => escape(address(env));
    }
    case 'note': {
      const address = compileAddress(op.address);
      return (env) => {
        const url = address(env);
        const found = env.notes.indexOf(url);
        return `[${found === -1 ? env.notes.push(url) : found + 1}]`;
      };
    }
    case 'rich':
      return compileRich(op);
    case 'css': {
      const value = compileValue(op.value);
      return (env) => {
        const given = value(env);
        const text = typeof given === 'number' ? plainNumber(given) : put(given);
        if (typeof given !== 'number' && !isColor(text) && !isLength(text) && !/^-?\d{1,9}(?:\.\d{1,9})?$/.test(text))
          throw new Fault('style-value', `"${text.slice(0, 40)}" is not a colour, a length or a number.`, { at: op.at });
        return text;
      };
    }
    case 'shape': {
      const body = compileOps(op.body);
      return op.shape === 'upper' ? (env) => body(env).toLocaleUpperCase(env.context.locale) : (env) => [...body(env)].join(' ');
    }
    case 'word': {
      const { word } = op;
      return op.as === 'html' ? (env) => escapeHtml(env.words[word] ?? '') : (env) => env.words[word] ?? '';
    }
    case 'width': {
      const body = compileOps(op.body);
      return (env) => String(Math.min(WIDEST, Math.max(NARROWEST, Math.ceil(boldWidth(body(env), op.size)) + BESIDE)));
    }
    case 'each':
    case 'if':
    case 'let':
    default:
      return compileSteer(op, compileOps);
  }
}

const EMPHASIS: Readonly<Record<string, string>> = { b: 'strong', i: 'em' };

/** A text with marks for its tags: elements in the HTML; in the text part words, and the numbers of links. */
function compileRich(op: Extract<Op, { op: 'rich' }>): Run<string> {
  const value = compileValue(op.value);
  const links = new Map(Object.entries(op.links).map(([name, address]) => [name, compileAddress(address)]));
  if (op.as === 'text') {
    const notes = new Map(Object.entries(op.links).map(([name, address]) => [name, compileOp({ op: 'note', address })]));
    return (env) =>
      piecesOf(put(value(env)))
        .map((piece) => {
          if ('text' in piece) return escapeText(piece.text);
          const note = 'closes' in piece ? notes.get(piece.closes) : undefined;
          return note === undefined ? '' : ` ${note(env)}`;
        })
        .join('');
  }
  return (env) =>
    piecesOf(put(value(env)))
      .map((piece) => {
        if ('text' in piece) return escapeHtml(piece.text);
        const name = 'opens' in piece ? piece.opens : piece.closes;
        const element = EMPHASIS[name];
        if ('closes' in piece) return `</${element ?? 'a'}>`;
        return element === undefined ? `<a href="${escapeHtml(links.get(name)?.(env) ?? '')}"${op.attributes}>` : `<${element}>`;
      })
      .join('');
}

/** Runs the turns of a loop, with its names in their slots. @returns whether there was one */
function turnsOf(op: Pick<EachOp<never>, 'slot' | 'secondSlot' | 'list'>): (env: Environment, turn: (isLast: boolean) => void) => boolean {
  const list = compileValue(op.list);
  const { slot, secondSlot } = op;
  return (env, turn) => {
    const given = list(env);
    const isRecord = !Array.isArray(given) && typeof given === 'object' && given !== null;
    const entries: readonly unknown[] = Array.isArray(given) ? given : isRecord ? Object.keys(given) : [];
    const count = entries.length;
    for (let i = 0; i < count; i += 1) {
      countTurn(env);
      env.slots[slot] = entries[i];
      if (secondSlot !== undefined)
        env.slots[secondSlot] = isRecord
          ? (given as Record<string, unknown>)[entries[i] as string]
          : { number: i + 1, first: i === 0, last: i === count - 1, count };
      turn(i === count - 1);
    }
    return count > 0;
  };
}

function settingOf({ slot, value }: LetOp): (env: Environment) => void {
  const run = compileValue(value);
  return (env) => {
    env.slots[slot] = run(env);
  };
}

function compileSteer(op: Steer<Op>, inner: (ops: readonly Op[]) => Run<string>): Run<string> {
  if (op.op === 'if') {
    const branches = op.branches.map((branch) => ({
      test: branch.test === undefined ? undefined : compileValue(branch.test),
      body: inner(branch.body),
    }));
    return (env) => branches.find((branch) => branch.test === undefined || truthy(branch.test(env)))?.body(env) ?? '';
  }
  if (op.op === 'let') {
    const put = settingOf(op);
    return (env) => {
      put(env);
      return '';
    };
  }
  const body = inner(op.body);
  const turns = turnsOf(op);
  const between = op.between.length === 0 ? undefined : inner(op.between);
  const otherwise = inner(op.otherwise);
  return (env) => {
    let out = '';
    const any = turns(env, (isLast) => {
      out += body(env);
      if (between !== undefined && !isLast) out += between(env);
    });
    return any ? out : otherwise(env);
  };
}

/** A number as CSS writes it: no exponent, and no more digits than anybody could see. */
function plainNumber(value: number): string {
  return String(Number(Math.min(1e9, Math.max(-1e9, value)).toFixed(4)));
}

/** Goes through steered entries with the data, calling `one` for each entry that is rendered. */
export function compileSteered<T extends { readonly op: string }, R>(
  nodes: readonly (T | Steer<never>)[],
  compileOne: (node: T) => R,
): (env: Environment, visit: (one: R) => void) => void {
  const parts = nodes.map((node): ((env: Environment, visit: (one: R) => void) => void) => {
    if (node.op === 'if') {
      const steer = node as unknown as Extract<Steer<T>, { op: 'if' }>;
      const branches = steer.branches.map((branch) => ({
        test: branch.test === undefined ? undefined : compileValue(branch.test),
        body: compileSteered<T, R>(branch.body, compileOne),
      }));
      return (env, visit) => branches.find((branch) => branch.test === undefined || truthy(branch.test(env)))?.body(env, visit);
    }
    if (node.op === 'let') {
      return settingOf(node as unknown as LetOp);
    }
    if (node.op === 'each') {
      const steer = node as unknown as Extract<Steer<T>, { op: 'each' }>;
      const turns = turnsOf(steer);
      const [body, between, otherwise] = [steer.body, steer.between, steer.otherwise].map((ops) => compileSteered<T, R>(ops, compileOne));
      return (env, visit) => {
        const any = turns(env, (isLast) => {
          body?.(env, visit);
          if (!isLast) between?.(env, visit);
        });
        if (!any) otherwise?.(env, visit);
      };
    }
    const made = compileOne(node as T);
    return (_env, visit) => {
      visit(made);
    };
  });
  return (env, visit) => {
    for (const part of parts) part(env, visit);
  };
}
