import { isMap, isScalar, type Document } from 'yaml';
import { problem, readYaml, SourceText, type Place, type Problem } from '../problems/index.js';
import { parseParts } from './parts.js';
import type { FrontValue } from './tree.js';

/** The keys a source may have before its body. */
export const FRONT_KEYS = [
  'subject',
  'preview',
  'topic',
  'layout',
  'title',
  'sender',
  'replyTo',
  'styles',
  'summary',
  'inputs',
  'gives',
  'silence',
] as const;

/** How often YAML may repeat what it has named: such repetitions multiply. */
const MAX_ALIASES = 50;

/** A text whose every place is one and the same: a YAML value that is written with escapes or folded over lines. */
class ScalarSource extends SourceText {
  constructor(
    file: string,
    text: string,
    private readonly at: Place,
  ) {
    super(file, text);
  }
  override place(): Place {
    return this.at;
  }
}

/** What stands between the two lines at the top. */
export interface Front {
  readonly front: Map<string, FrontValue>;
  /** Keys that are not among these. */
  readonly others: Map<string, FrontValue>;
  readonly inputs: unknown;
  /** Codes that `check` leaves out, with the reason of each. */
  readonly silence: ReadonlyMap<string, string>;
  readonly bodyFrom: number;
}

/**
 * Reads the YAML between the two `---` lines at the top of a source.
 * @returns the values by key, and the offset at which the body starts.
 */
export function parseFrontMatter(source: SourceText, problems: Problem[]): Front {
  const front = new Map<string, FrontValue>();
  const others = new Map<string, FrontValue>();
  const silence = new Map<string, string>();
  const { text } = source;
  const opening = /^---[ \t]*\r?\n/.exec(text);
  if (opening === null) return { front, others, inputs: undefined, silence, bodyFrom: 0 };
  let inputs: unknown;
  const from = opening[0].length;
  const closing = /^---[ \t]*(?:\r?\n|$)/m;
  const found = closing.exec(text.slice(from));
  if (found === null) {
    problems.push(problem('front-matter-open', source.place(0, 3), 'The front matter is not closed.', 'End it with a line "---".'));
    return { front, others, inputs, silence, bodyFrom: from };
  }
  const yaml = text.slice(from, from + found.index);
  const { document, faults } = readYaml(yaml);
  for (const fault of faults) {
    problems.push(
      problem(
        'yaml',
        source.place(from + fault.pos[0], Math.max(1, fault.pos[1] - fault.pos[0])),
        `The front matter is not valid YAML: ${fault.message}`,
        quoteHint(source.text, from + fault.pos[0]),
      ),
    );
  }
  if (faults.length === 0 && isMap(document.contents)) {
    for (const { key, value } of document.contents.items) {
      if (!isScalar(key)) continue;
      const name = String(key.value);
      const keyPlace = source.place(from + key.range[0], name.length);
      if (name === 'inputs') {
        inputs = inputsOf(document, keyPlace, problems);
        continue;
      }
      if (name === 'silence') {
        if (!readSilence(value, silence)) problems.push(silenceFault(keyPlace));
        continue;
      }
      if (!isScalar(value) || value.value === null || typeof value.value === 'object') {
        // A value that begins with braces is a record to YAML.
        problems.push(problem('front-value', keyPlace, `"${name}" must be a text on one line.`, `Put it in quotes: ${name}: "…".`));
        continue;
      }
      const read = readScalar(source, { from: from + value.range[0], to: from + value.range[1], value: value.toString(), problems });
      ((FRONT_KEYS as readonly string[]).includes(name) ? front : others).set(name, { ...read, keyPlace });
    }
  } else if (faults.length === 0 && document.contents !== null) {
    problems.push(problem('front-value', source.place(from), 'The front matter must be a list of "key: value" lines.'));
  }
  return { front, others, inputs, silence, bodyFrom: from + found.index + found[0].length };
}

function inputsOf(document: Document, place: Place, problems: Problem[]): unknown {
  try {
    return (document.toJS({ maxAliasCount: MAX_ALIASES }) as Record<string, unknown>)['inputs'];
  } catch (error) {
    problems.push(problem('yaml', place, `The front matter is not valid YAML: ${error instanceof Error ? error.message : String(error)}`));
    return undefined;
  }
}

/** More than this calls for a different check. */
const MOST_SILENCED = 500;

function silenceFault(place: Place): Problem {
  return problem(
    'front-value',
    place,
    `"silence" names codes, ${MOST_SILENCED} at most, with the reason of each.`,
    'Write silence: { subject-long: "The name of the line has to be in it." }.',
  );
}

/** @returns whether every code has its reason */
function readSilence(value: unknown, into: Map<string, string>): boolean {
  if (!isMap(value) || value.items.length > MOST_SILENCED) return false;
  return value.items.every(({ key, value: reason }) => {
    if (!isScalar(key) || !isScalar(reason) || typeof reason.value !== 'string' || reason.value.trim() === '') return false;
    into.set(String(key.value), reason.value);
    return true;
  });
}

function readScalar(
  source: SourceText,
  { from, to, value, problems }: { readonly from: number; readonly to: number; readonly value: string; readonly problems: Problem[] },
): Omit<FrontValue, 'keyPlace'> {
  const written = source.text.slice(from, to);
  const inset = /^["']/.test(written) ? 1 : 0;
  const place = source.place(from, to - from);
  if (written.slice(inset, written.length - inset) === value) {
    return { parts: parseParts(source, from + inset, to - inset, problems), place };
  }
  return { parts: parseParts(new ScalarSource(source.file, value, place), 0, value.length, problems), place };
}

/** Most invalid YAML has a colon or braces in a text, which needs quotes. */
function quoteHint(text: string, at: number): string | undefined {
  const from = text.lastIndexOf('\n', at - 1) + 1;
  const end = text.indexOf('\n', at);
  const line = /^([A-Za-z]+):[ \t]+([^"'\s].*)$/.exec(text.slice(from, end === -1 ? undefined : end));
  if (line === null) return undefined;
  const [, key = '', value = ''] = line;
  return `Put the text in quotes: ${key}: ${value.includes('"') ? `'${value.replaceAll("'", "''")}'` : `"${value}"`}`;
}
