import type { MailProject } from '../folder/index.js';
import { FRONT_KEYS, parseSource, type BlockModes, type BlockUse, type ContentMode, type SourceTree } from '../notation/index.js';
import { didYouMean, problem, SourceText, type Problem } from '../problems/index.js';
import {
  accepts,
  literal,
  optional,
  typeOfSchema,
  TEXT,
  type BlockArgument,
  type BlockSignature,
  type JsonSchema,
  type Type,
} from '../typing/index.js';
import { written } from './front.js';
import { nodesOf } from './walk.js';

export interface Input {
  readonly name: string;
  readonly type: Type;
  readonly required: boolean;
  /** What it is when left out. */
  readonly usual: string | number | boolean | null;
}

/** A block of the mail folder's own: a source with typed inputs. */
export interface OwnBlock {
  readonly name: string;
  readonly inputs: readonly Input[];
  readonly tree: SourceTree;
  readonly signature: BlockSignature;
}

/** Whether a block takes content says its source. */
const CONTENT_LINE = /^[ \t]*:::?content\b/m;

/** What a block gives instead of prose says its front matter. */
const GIVES_LINE = /^gives:[ \t]*["']?(rows|facts)\b/m;

function modeOf(text: string): ContentMode {
  const front = /^---[ \t]*\r?\n([^]*?)^---/m.exec(text)?.[1] ?? '';
  const gives = text.startsWith('---') ? GIVES_LINE.exec(front)?.[1] : undefined;
  if (gives !== undefined) return gives === 'rows' ? 'gives-rows' : 'gives-facts';
  return CONTENT_LINE.test(text) ? 'flow' : 'none';
}

/** Entries that a block gives. */
export function entriesOf<T>({ tree }: OwnBlock): readonly T[] {
  const [only] = tree.body;
  const content = only?.kind === 'block' ? only.content : undefined;
  return content?.mode === 'rows' || content?.mode === 'facts' ? (content.children as readonly unknown[] as readonly T[]) : [];
}

/** The modes of all blocks of a folder: built in, and its own. */
export function modesOf(builtIn: BlockModes, project: MailProject): BlockModes {
  const own = [...project.blocks].map(([name, source]) => [name, modeOf(source.text)] as const);
  return new Map([...own, ...builtIn]);
}

/** Reads the blocks of a folder's own. */
export function readOwnBlocks(
  project: MailProject,
  modes: BlockModes,
  builtIn: ReadonlySet<string>,
  problems: Problem[],
): Map<string, OwnBlock> {
  const out = new Map<string, OwnBlock>();
  for (const [name, file] of project.blocks) {
    const parsed = parseSource(file.file, file.text, new Map([...modes, ['content', 'optional']]));
    problems.push(...parsed.problems);
    if (builtIn.has(name))
      problems.push(
        problem('block-name-taken', parsed.source.place(0, 0), `There is a built-in block "${name}".`, 'Give yours another name.'),
      );
    const inputs = readInputs(parsed.tree.inputs, parsed.source, problems);
    const args = inputs.map(argumentOf);
    problems.push(...unknownKeys(parsed.tree, []), ...givesFaults(parsed.tree));
    const slots = slotsIn(parsed.tree, problems);
    out.set(name, { name, inputs, tree: parsed.tree, signature: { name, args, content: modes.get(name) ?? 'none', slots } });
  }
  for (const name of out.keys()) {
    const circle = circleFrom(name, out);
    if (circle !== undefined)
      problems.push(
        problem(
          'block-circle',
          new SourceText(out.get(name)?.tree.file ?? '', '').whole,
          `The block "${name}" ends up in itself: ${circle.join(' → ')}.`,
        ),
      );
  }
  return problems.some(({ code }) => code === 'block-circle') ? new Map<string, OwnBlock>() : out;
}

/** What a block gives is one of two words. */
function givesFaults({ front }: SourceTree): Problem[] {
  const gives = front.get('gives');
  const word = written(gives);
  if (gives === undefined || word === 'rows' || word === 'facts') return [];
  return [
    problem('front-value', gives.place, `"gives" is "rows" or "facts"; "${word ?? ''}" is neither.`, 'Leave it out for a block of prose.'),
  ];
}

/** An input as an argument. */
export function argumentOf({ name, type, required }: Input): BlockArgument {
  return { name, kind: 'value', type, required, summary: name };
}

/** Keys of a front matter that neither the notation nor a layout knows. */
export function unknownKeys({ others }: Pick<SourceTree, 'others'>, inputs: readonly Input[]): Problem[] {
  const known = [...FRONT_KEYS, ...inputs.map(({ name }) => name)];
  return [...others]
    .filter(([name]) => !known.includes(name))
    .map(([name, { keyPlace }]) => problem('front-key', keyPlace, `The front matter has no key "${name}".`, didYouMean(name, known)));
}

/** The names of places for content that a block's source has: `::content aside`. */
function slotsIn({ body }: SourceTree, problems: Problem[]): string[] {
  const slots: string[] = [];
  for (const use of nodesOf(body, 'block')) {
    const name = use.name === 'content' ? slotName(use) : undefined;
    if (use.name === 'content' && name === undefined)
      problems.push(
        problem('slot-name', use.namePlace, 'The name of a place for content is one word, written out.', 'For example "::content aside".'),
      );
    if (name === undefined || name === '') continue;
    if (slots.includes(name)) problems.push(problem('slot-twice', use.namePlace, `There are two places for the content "${name}".`));
    else slots.push(name);
  }
  return slots;
}

/** The name that a `content` or `slot` is written with; '' for the main content, undefined for one that is not written out. */
export function slotName(use: BlockUse): string | undefined {
  const [arg] = use.args;
  if (arg === undefined) return '';
  const text = arg.parts.length === 1 && typeof arg.parts[0] === 'string' ? arg.parts[0] : undefined;
  return arg.name === undefined && text !== undefined && /^[A-Za-z][A-Za-z0-9-]*$/.test(text) ? text : undefined;
}

/** The inputs that a front matter declares, each with its type. */
export function readInputs(raw: unknown, source: SourceText, problems: Problem[]): Input[] {
  if (raw === undefined || raw === null) return [];
  const at = source.place(Math.max(0, source.text.indexOf('inputs')), 6);
  if (typeof raw !== 'object' || Array.isArray(raw)) {
    problems.push(problem('inputs', at, '"inputs" must name each input with its schema.', 'For example "title: { type: string }".'));
    return [];
  }
  return Object.entries(raw as Record<string, unknown>).map(([name, schema]): Input => {
    if (typeof schema !== 'object' || schema === null) {
      problems.push(
        problem(
          'inputs',
          source.place(Math.max(0, source.text.indexOf(name)), name.length),
          `The input "${name}" has no schema.`,
          `For example "${name}: { type: string }".`,
        ),
      );
      return { name, type: TEXT, required: true, usual: null };
    }
    const { default: usual, optional: mayMiss } = schema as { default?: unknown; optional?: unknown };
    const at = source.place(Math.max(0, source.text.indexOf(`${name}:`)), name.length);
    const type = typeOfSchema(schema as JsonSchema);
    const isScalar = typeof usual === 'string' || typeof usual === 'number' || typeof usual === 'boolean';
    if (type.members.some((member) => member.kind === 'any'))
      problems.push(problem('inputs', at, `The input "${name}" may be anything.`, `Say what it is: "${name}: { type: string }".`));
    if (usual !== undefined && usual !== null && !isScalar)
      problems.push(problem('inputs', at, `The default of "${name}" must be a text, a number, or true or false.`));
    else if (isScalar) {
      const misfit = accepts(type, literal(usual));
      if (misfit !== undefined)
        problems.push(problem('inputs', at, `The default of "${name}" is ${misfit.given}; the input takes ${misfit.wanted}.`));
    }
    const given = isScalar ? usual : null;
    return {
      name,
      type: mayMiss === true && given === null ? optional(type) : type,
      required: mayMiss !== true && given === null,
      usual: given,
    };
  });
}

/** A way from a block back to itself; each block is gone through once. */
function circleFrom(
  name: string,
  blocks: ReadonlyMap<string, OwnBlock>,
  seen = new Set<string>(),
  path: readonly string[] = [],
): readonly string[] | undefined {
  const used = new Set(nodesOf(blocks.get(name)?.tree.body, 'block').map((blockUse) => blockUse.name));
  for (const text of used) {
    if (text === (path[0] ?? name)) return [...path, name, text];
    if (seen.has(text) || !blocks.has(text)) continue;
    seen.add(text);
    const circle = circleFrom(text, blocks, seen, [...path, name]);
    if (circle !== undefined) return circle;
  }
  return undefined;
}
