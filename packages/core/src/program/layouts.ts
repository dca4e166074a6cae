import type { MailProject } from '../folder/index.js';
import { FRONT_KEYS, parseSource, type Argument, type BlockModes, type Flow, type FrontValue, type SourceTree } from '../notation/index.js';
import { didYouMean, problem, type Place, type Problem } from '../problems/index.js';
import type { CompileContext, FolderContext, Layout, LayoutUse, Parsed, ReadSource } from './context.js';
import { written } from './front.js';
import { argumentOf, readInputs, unknownKeys, type Input } from './own-blocks.js';
import { inputValue, usualValue, type Inner } from './sides.js';
import type { Names } from './values.js';
import { nodesOf } from './walk.js';

/** Keys that a layout's front matter may have, beside those for the layout around it. */
const LAYOUT_KEYS = new Set(['summary', 'layout']);

/** Reads the layouts of a folder. */
export function readLayouts(project: MailProject, modes: BlockModes, problems: Problem[]): Map<string, Layout> {
  const out = new Map<string, Layout>();
  for (const [name, file] of project.layouts) {
    const parsed = parseSource(file.file, file.text, modes);
    parsed.problems.push(...bodyFaults(parsed));
    for (const [key, value] of parsed.tree.front)
      if (!LAYOUT_KEYS.has(key))
        parsed.problems.push(problem('front-here', value.place, `"${key}" has no meaning in a layout.`, 'Templates have it.'));
    const outer = written(parsed.tree.front.get('layout'));
    const inputs = readInputs(parsed.tree.inputs, parsed.source, problems);
    for (const { name: input } of inputs)
      if ((FRONT_KEYS as readonly string[]).includes(input) || input === 'mail')
        parsed.problems.push(
          problem(
            'inputs',
            parsed.source.place(0, 0),
            `"${input}" is a key of every front matter, or what the service gives.`,
            'Give the input another name.',
          ),
        );
    problems.push(...parsed.problems);
    out.set(name, { name, parsed, inputs, outer: outer === 'none' ? undefined : outer });
  }
  for (const layout of out.values()) problems.push(...outerFaults(layout, out));
  return out;
}

function bodyFaults({ tree, source }: Parsed): Problem[] {
  const all = nodesOf(tree.body, 'block').filter(({ name }) => name === 'body');
  const [first] = all;
  if (all.length === 1 && bodiesAt(tree.body) === 1) return [];
  return [
    problem(
      'layout-body',
      first?.namePlace ?? source.place(0),
      all.length === 0
        ? 'This layout has no "::body".'
        : all.length > 1
          ? `This layout has "::body" ${all.length} times.`
          : '"::body" is inside a loop, a list or a condition, or follows "::let" in its block: it must always be there, with no other names.',
      'A line "::body", once, is where the template’s body goes.',
    ),
  ];
}

/** How often a layout has a place for the body where it always stands: not in a loop, a list or a condition. */
function bodiesAt(nodes: readonly Flow[]): number {
  return nodes.reduce((sum, node) => {
    if (node.kind !== 'block') return sum;
    if (node.name === 'body') return sum + 1;
    return node.content.mode === 'flow' ? sum + bodiesAt(node.content.children) : sum;
  }, 0);
}

/** A layout around a layout that is not there, or that ends up in itself. */
function outerFaults(layout: Layout, all: ReadonlyMap<string, Layout>): Problem[] {
  const place = layout.parsed.tree.front.get('layout')?.place ?? layout.parsed.source.place(0, 0);
  if (layout.outer !== undefined && !all.has(layout.outer))
    return [
      problem(
        'unknown-layout',
        place,
        `There is no layout "${layout.outer}" in layouts/.`,
        didYouMean(layout.outer, ['none', ...all.keys()]),
      ),
    ];
  const around = chainOf(layout.outer, all);
  if (around.includes(layout)) {
    const names = [layout, ...around.slice(0, around.indexOf(layout) + 1)].map(({ name }) => name);
    return [problem('layout-circle', place, `The layout "${layout.name}" ends up in itself: ${names.join(' → ')}.`)];
  }
  return unknownKeys(
    layout.parsed.tree,
    around.flatMap(({ inputs }) => inputs),
  );
}

/** A layout and those around it, from the innermost on; one that ends up in itself is gone through once. */
function chainOf(name: string | undefined, all: ReadonlyMap<string, Layout>): Layout[] {
  const out: Layout[] = [];
  for (
    let at = name === undefined ? undefined : all.get(name);
    at !== undefined && !out.includes(at);
    at = at.outer === undefined ? undefined : all.get(at.outer)
  )
    out.push(at);
  return out;
}

interface AroundInput {
  readonly front: ReadonlyMap<string, FrontValue>;
  readonly top: Place;
  /** Undefined for HTML of one's own. */
  readonly tree: SourceTree | undefined;
  readonly problems: Problem[];
}

/** The layouts around a Markdown source, from the innermost on, with what they are given: its own layout, or the folder's. */
export function layoutsAround({ project, layouts }: FolderContext, { front, top, tree, problems }: AroundInput): LayoutUse[] {
  const own = front.get('layout');
  if (tree === undefined) {
    if (own !== undefined)
      problems.push(
        problem(
          'front-here',
          own.place,
          'A message.html has no layout: it is the whole document.',
          'Leave the line out, or write the mail as message.md.',
        ),
      );
    return [];
  }
  const wanted = written(own) ?? project.settings.layout;
  const isNone = wanted === undefined || wanted === 'none';
  if (!isNone && !layouts.has(wanted))
    problems.push(
      problem(
        'unknown-layout',
        own?.place ?? top,
        `There is no layout "${wanted}" in layouts/.`,
        didYouMean(wanted, ['none', ...layouts.keys()]),
      ),
    );
  const chain = isNone ? [] : chainOf(wanted, layouts);
  problems.push(
    ...unknownKeys(
      tree,
      chain.flatMap(({ inputs }) => inputs),
    ),
  );
  const missing = (layout: Layout, { name }: Input): Problem =>
    problem(
      'missing-argument',
      own?.place ?? top,
      `The layout "${layout.name}" needs "${name}".`,
      `Write ${name}: "…" in the front matter.`,
    );
  return chain.map((layout, i) => ({
    layout,
    gifts: layout.inputs.flatMap((input) => {
      // The template goes before the layouts between it and this one.
      const from = [tree, ...chain.slice(0, i).map(({ parsed }) => parsed.tree)].find(({ others }) => others.has(input.name));
      if (from === undefined) {
        if (input.required) problems.push(missing(layout, input));
        return [];
      }
      const { parts, place } = from.others.get(input.name) as FrontValue;
      const arg: Argument = { name: input.name, parts, bare: false, place };
      return [{ layout: layout.name, wanted: argumentOf(input), arg, from }];
    }),
  }));
}

/** What a source is compiled as: its outermost layout, with the body within it. */
interface Framed {
  readonly body: readonly Flow[];
  readonly names: Names;
  readonly inner: Inner | undefined;
}

/** The layouts around a source, from the outermost on: each holds the next one, or the body, where it says `::body`. */
export function framed({ layouts, tree }: ReadSource, names: Names, context: CompileContext): Framed {
  const scopes = new Map<SourceTree, Names>(tree === undefined ? [] : [[tree, names]]);
  for (const { layout, gifts } of layouts) {
    const inputs = layout.inputs.map((input) => {
      const gift = gifts.find(({ wanted }) => wanted.name === input.name);
      const value = gift === undefined ? usualValue(input) : inputValue(gift.arg, input, scopes.get(gift.from) ?? names, context);
      return [input.name, value] as const;
    });
    scopes.set(layout.parsed.tree, names.plus(inputs));
  }
  let framed: Framed = { body: tree?.body ?? [], names, inner: undefined };
  for (const { layout } of layouts)
    framed = {
      body: withContent(layout.parsed.tree.body),
      names: scopes.get(layout.parsed.tree) ?? names,
      inner: { nodes: framed.body, slots: new Map(), names: framed.names, inner: framed.inner },
    };
  return framed;
}

/** A layout's tree with `::content` in place of `::body`: what it holds is in a scope of its own. */
function withContent(nodes: readonly Flow[]): Flow[] {
  return nodes.map((node): Flow => {
    if (node.kind !== 'block') return node;
    if (node.name === 'body') return { ...node, name: 'content', args: [], content: { mode: 'none' } };
    return node.content.mode === 'flow' ? { ...node, content: { mode: 'flow', children: withContent(node.content.children) } } : node;
  });
}
