import { didYouMean, problem, type Place, type Problem, type SourceText } from '../problems/index.js';
import { parseArguments } from './arguments.js';
import { Comments } from './comments.js';
import type { Expression } from './expression.js';
import { letHeader, loopHeader } from './loop-header.js';
import { Prose, type Region } from './markdown.js';
import { open } from './open.js';
import { parseExpression } from './parse-expression.js';
import { readFacts, readRows } from './rows.js';
import { closes, cutBy, FENCE, indentOf, indentOfRegion, linesOf, steps, type Line } from './lines.js';
import { joinLists, oneList } from './lists.js';
import type { ContentMode, Flow, SourceTree, Steering, Verbatim, VerbatimTree } from './tree.js';

/** Bounds of a source (4-template-notation, Bounds). */
export const MAX_NESTING = 32;
/** Local names that one source can have: each is a level of the tree. */
const MAX_NAMES = 256;

/** What each known block may contain. */
export type BlockModes = ReadonlyMap<string, ContentMode>;

/** A block that is open while lines are read. Its children are runs of prose and finished blocks, in order. */
interface Frame {
  readonly name: string;
  readonly mode: ContentMode;
  readonly place: Place;
  readonly line: Line | undefined;
  readonly parts: { test: Expression | undefined; children: Child[]; place: Place }[];
  /** Whether `:::else` or `:::empty` has been met. */
  otherwise: boolean;
  indent: number | undefined;
  run: Line[];
}

/** `indent`: how far it is indented within its block. */
type Child = { readonly kind: 'run'; readonly region: Region } | { readonly kind: 'done'; readonly frame: Frame; readonly indent: number };

const DIRECTIVE = /^([ \t]*)(:::?)([A-Za-z][A-Za-z0-9-]*)?(?=[ \t]|$)(.*)$/;
/** Directives that have a meaning where text is taken as it stands; ':::' is the closing line. */
const VERBATIM_DIRECTIVES = new Set([':::if', ':::else', ':::else-if', ':::each', ':::empty', ':::', '::let']);
/** What divides an open block. */
const DIVIDERS = new Set(['else', 'else-if', 'empty']);

/**
 * Reads a template source, a layout or a block's source into a tree.
 * Never throws: what is wrong is in `problems`, and the tree holds what could be read.
 */
export function parseSource(file: string, text: string, blocks: BlockModes): { tree: SourceTree; problems: Problem[]; source: SourceText } {
  const { source, problems, front, others, inputs, silence, bodyFrom, refused } = open(file, text);
  const [given] = front.get('gives')?.parts ?? [];
  const directives = new Directives(source, blocks, problems);
  const gives = given === 'rows' || given === 'facts' ? given : undefined;
  const body = refused ? [] : gives === undefined ? directives.read(bodyFrom) : directives.readEntries(bodyFrom, gives);
  return { tree: { file, front, others, inputs, silence, body }, problems, source };
}

/** Reads a source that is taken as it stands (message.html, message.txt): only `if` and `each` lines have a meaning. @param blocks names that would mean a block elsewhere */
export function parseVerbatim(
  file: string,
  text: string,
  blocks: BlockModes = new Map(),
): { tree: VerbatimTree; problems: Problem[]; source: SourceText } {
  const { source, problems, front, others, silence, bodyFrom, refused } = open(file, text);
  const body = refused ? [] : new Directives(source, blocks, problems).readVerbatim(bodyFrom);
  return { tree: { file, front, others, silence, body }, problems, source };
}

class Directives {
  readonly #prose: Prose;
  /** Blocks past the bound of nesting that are open: nothing of them is read. */
  #skipped = 0;
  #names = 0;

  constructor(
    private readonly source: SourceText,
    private readonly blocks: BlockModes,
    private readonly problems: Problem[],
  ) {
    this.#prose = new Prose(source, problems);
  }

  read(from: number): Flow[] {
    return this.#flows(this.#scan(from, 'flow'));
  }

  /** The source of a block that gives entries: they are read as the content of what they are for. */
  readEntries(from: number, mode: 'rows' | 'facts'): Flow[] {
    const root = this.#frame(mode === 'rows' ? 'ledger' : 'facts', { mode, place: this.source.place(from, 0), line: undefined });
    root.parts[0]?.children.push(...this.#scan(from, mode));
    const { name, place } = root;
    return [{ kind: 'block', name, args: [], content: this.#content(root), place, namePlace: place }];
  }

  readVerbatim(from: number): Verbatim[] {
    // The line break before a directive belongs to the text; that of the directive's own line does not.
    return this.#entries<Verbatim>(this.#scan(from, 'verbatim'), (region) => [
      ...this.#prose.verbatim(region),
      { kind: 'text', text: '\n', place: this.source.place(from, 0) },
    ]);
  }

  /** A block where the source is taken as it stands: it would be shown as text. */
  #refuseBlock(line: { readonly text: string; readonly offset: number }, name: string): void {
    if (!this.blocks.has(name)) return;
    this.problems.push(
      problem(
        'block-verbatim',
        this.source.place(line.offset, line.text.length),
        `"${name}" is a block of Markdown sources; here it would be shown as text.`,
        'In message.html and message.txt only ":::if", ":::each" and "::let" have a meaning. Write it as markup, or the mail as message.md.',
      ),
    );
  }

  #scan(from: number, mode: ContentMode): readonly Child[] {
    const root = this.#frame('', { mode, place: this.source.place(from, 0), line: undefined });
    root.indent = 0;
    const stack = [root];
    const comments = new Comments(this.source, this.problems);
    let fence = '';
    for (const whole of linesOf(this.source.text, from)) {
      const frame = stack[stack.length - 1] as Frame;
      const line = fence === '' ? comments.strip(whole, { html: frame.mode !== 'verbatim' && frame.mode !== 'raw' }) : whole;
      if (line === undefined) continue;
      const fenceMark = FENCE.exec(line.text)?.[1];
      const verbatim = frame.mode === 'verbatim';
      const directive = fence === '' || verbatim ? DIRECTIVE.exec(line.text) : null;
      if (verbatim && (directive === null || !VERBATIM_DIRECTIVES.has(`${directive[2] ?? ''}${directive[3] ?? ''}`))) {
        if (directive !== null) this.#refuseBlock(line, directive[3] ?? '');
        frame.run.push(line);
        continue;
      }
      if (this.#skipped > 0) {
        if (directive?.[2] === ':::' && !DIVIDERS.has(directive[3] ?? '')) this.#skipped += directive[3] === undefined ? -1 : 1;
        continue;
      }
      if (fence !== '' ? closes(line.text, fence) : fenceMark !== undefined) fence = fence === '' ? (fenceMark ?? '') : '';
      if (directive === null || (frame.mode === 'raw' && !(directive[2] === ':::' && directive[3] === undefined))) {
        if (frame.indent === undefined && line.text.trim() !== '') frame.indent = indentOf(line.text);
        frame.run.push(line);
      } else {
        frame.indent ??= indentOf(line.text);
        this.#directive(stack, line, directive);
      }
    }
    comments.close();
    for (const open of stack.slice(1).reverse()) {
      this.problems.push(problem('block-open', open.place, `The block "${open.name}" is not closed.`, 'Close it with a line ":::".'));
      stack.pop();
      this.#finish(stack[stack.length - 1] as Frame, open);
    }
    this.#endRun(root);
    return root.parts[0]?.children ?? [];
  }

  #frame(
    name: string,
    {
      mode,
      place,
      line,
      test,
    }: { readonly mode: ContentMode; readonly place: Place; readonly line: Line | undefined; readonly test?: Expression | undefined },
  ): Frame {
    return { name, mode, place, line, parts: [{ test, children: [], place }], otherwise: false, indent: undefined, run: [] };
  }

  #endRun(frame: Frame): void {
    const lines = frame.run.map((line) => {
      const cut = frame.mode === 'verbatim' ? 0 : Math.min(frame.indent ?? 0, indentOf(line.text));
      return { text: line.text.slice(cut), offset: line.offset + cut };
    });
    frame.run = [];
    if (lines.some((line) => line.text.trim() !== ''))
      frame.parts[frame.parts.length - 1]?.children.push({
        kind: 'run',
        region: { lines },
      });
  }

  #finish(parent: Frame, frame: Frame): void {
    this.#endRun(frame);
    const indent = Math.max(0, indentOf(frame.line?.text ?? '') - (parent.indent ?? 0));
    parent.parts[parent.parts.length - 1]?.children.push({ kind: 'done', frame, indent });
  }

  #directive(stack: Frame[], line: Line, found: RegExpExecArray): void {
    const [, indent = '', colons = '', name] = found;
    const frame = stack[stack.length - 1] as Frame;
    const place = this.source.place(line.offset + indent.length, line.text.length - indent.length);
    this.#endRun(frame);
    if (name === undefined) {
      if (colons === '::' || line.text.trim() !== ':::') {
        this.problems.push(
          problem(
            'block-name',
            place,
            'Expected the name of a block after the colons.',
            'A block opens with ":::name", closes with ":::".',
          ),
        );
      } else if (stack.length === 1) {
        this.problems.push(problem('close-alone', place, 'There is no open block to close here.'));
      } else {
        stack.pop();
        this.#finish(stack[stack.length - 1] as Frame, frame);
      }
      return;
    }
    const argsFrom = line.offset + indent.length + colons.length + name.length;
    const argsTo = line.offset + line.text.length;
    if (name === 'else' || name === 'else-if' || name === 'empty') {
      this.#otherwise(stack, { name, place, from: argsFrom, to: argsTo });
      return;
    }
    const mode = this.#mode(frame, name, place, colons);
    const opened = this.#frame(name, { mode, place, line, test: name === 'if' ? this.#test(argsFrom, argsTo, place) : undefined });
    if (colons === '::') {
      this.#finish(frame, opened);
    } else if (stack.length > MAX_NESTING) {
      this.problems.push(
        problem('nesting', place, `Blocks nest deeper than ${MAX_NESTING} levels here.`, 'Move a part into its own block.'),
      );
      this.#skipped = 1;
    } else {
      stack.push(opened);
    }
  }

  #mode(frame: Frame, name: string, place: Place, colons: string): ContentMode {
    const namePlace = this.source.place(place.offset + colons.length, name.length);
    if (name === 'let') {
      if (colons === ':::')
        this.problems.push(
          problem(
            'block-content',
            namePlace,
            '"let" has nothing inside.',
            'Write it with two colons: "::let NAME = VALUE", without a closing line.',
          ),
        );
      return 'none';
    }
    if (name === 'if' || name === 'each') {
      if (colons === '::') this.problems.push(problem('block-empty', namePlace, `"${name}" needs three colons and a content.`));
      return frame.mode === 'none' ? 'flow' : frame.mode;
    }
    const known = this.blocks.get(name);
    if (known === undefined) {
      this.problems.push(
        problem('unknown-block', namePlace, `There is no block "${name}".`, didYouMean(name, ['if', 'each', 'let', ...this.blocks.keys()])),
      );
      return colons === '::' ? 'none' : 'flow';
    }
    if (known === 'gives-rows' || known === 'gives-facts') return this.#entryMode(frame, known, { name, namePlace, colons });
    if (known === 'optional') return colons === '::' ? 'none' : 'flow';
    if (colons === ':::' && known === 'none') {
      this.problems.push(
        problem(
          'block-content',
          namePlace,
          `The block "${name}" has nothing inside.`,
          `Write it with two colons: "::${name} …", without a closing line.`,
        ),
      );
    }
    if (colons === '::' && known !== 'none') {
      this.problems.push(
        problem('block-empty', namePlace, `The block "${name}" needs a content.`, `Open it with ":::${name}" and close it with ":::".`),
      );
    }
    if (frame.mode === 'facts' || frame.mode === 'rows') {
      this.problems.push(
        problem('block-here', namePlace, `The block "${name}" cannot be inside "${frame.name}".`, 'Only "if", "each" and "let" can.'),
      );
    }
    return known;
  }

  /** A block that gives entries stands where entries do. */
  #entryMode(
    frame: Frame,
    known: 'gives-rows' | 'gives-facts',
    { name, namePlace, colons }: { readonly name: string; readonly namePlace: Place; readonly colons: string },
  ): ContentMode {
    const what = known === 'gives-rows' ? 'rows' : 'facts';
    if (colons === ':::')
      this.problems.push(
        problem('block-content', namePlace, `The block "${name}" has nothing inside.`, `Write it with two colons: "::${name} …".`),
      );
    if (frame.mode !== what)
      this.problems.push(
        problem('block-here', namePlace, `The block "${name}" gives ${what}: use it inside "${what === 'rows' ? 'ledger' : 'facts'}".`),
      );
    return known;
  }

  #otherwise(
    stack: Frame[],
    {
      name,
      place,
      from,
      to,
    }: { readonly name: 'else' | 'else-if' | 'empty'; readonly place: Place; readonly from: number; readonly to: number },
  ): void {
    const frame = stack[stack.length - 1] as Frame;
    const test = name === 'else-if' ? this.#test(from, to, place) : undefined;
    const opener = name === 'empty' ? 'each' : 'if';
    if (frame.name !== 'if' && frame.name !== 'each') {
      this.problems.push(
        problem(
          'else-alone',
          place,
          `":::${name}" must stand inside ":::${opener}".`,
          'It divides an open block: leave out the ":::" before it.',
        ),
      );
      stack.push(this.#frame(opener, { mode: frame.mode, place, line: undefined }));
      return;
    }
    // Sources of 0.1.0 have ":::else" in loops; it means the same.
    if (frame.name !== opener && !(frame.name === 'each' && name === 'else'))
      this.problems.push(
        frame.name === 'each'
          ? problem('else-alone', place, `":::each" has no ":::${name}".`, 'What is shown for an empty list follows ":::empty".')
          : problem('else-alone', place, '":::empty" divides a loop, and this is ":::if".', 'Write ":::else".'),
      );
    if (frame.otherwise) {
      this.problems.push(
        problem('else-last', place, `Nothing can follow ":::${opener === 'if' ? 'else' : 'empty'}" but the closing ":::".`),
      );
    }
    if (name !== 'else-if' && this.source.text.slice(from, to).trim() !== '') {
      this.problems.push(problem('else-test', place, `":::${name}" takes no test.`, name === 'else' ? 'Write ":::else-if …".' : undefined));
    }
    frame.otherwise = name !== 'else-if';
    frame.parts.push({ test, children: [], place });
  }

  #test(from: number, to: number, place: Place): Expression {
    const expression = this.source.text.slice(from, to).trim() === '' ? undefined : parseExpression(this.source, from, to, this.problems);
    if (expression !== undefined) return expression;
    if (this.source.text.slice(from, to).trim() === '') {
      this.problems.push(problem('test-missing', place, 'This needs a test.', 'For example ":::if booking.vehicle".'));
    }
    return { kind: 'literal', value: true, place };
  }

  #flows(children: readonly Child[]): Flow[] {
    let out: Flow[] = [];
    for (const [i, child] of children.entries()) {
      if (child.kind === 'done' && child.frame.name === 'let')
        return [...out, ...this.#local(child.frame, () => this.#flows(children.slice(i + 1)))];
      if (child.kind === 'done') {
        out = joinLists(out, child.indent, () => this.#block(child.frame));
        continue;
      }
      // After a list, lines that are indented less than those before them may belong to another item.
      const regions = out[out.length - 1]?.kind === 'list' ? steps(child.region) : [child.region];
      for (const region of regions)
        out = joinLists(out, indentOfRegion(region), (column) => this.#prose.flow(column === 0 ? region : cutBy(region, column), column));
    }
    return out;
  }

  /** The children of `if` and `each` are read as whatever the surroundings are made of. */
  #steered<T>(frame: Frame, read: (children: readonly Child[]) => T[]): Steering<T>[] {
    const { place } = frame;
    if (frame.name === 'if') {
      const branches = frame.parts.map((part) => ({ test: part.test, body: read(part.children), place: part.place }));
      return [{ kind: 'if', branches, place }];
    }
    const header =
      frame.line === undefined ? undefined : loopHeader({ line: frame.line, place, source: this.source, problems: this.problems });
    const body = read(frame.parts[0]?.children ?? []);
    const otherwise = read(frame.parts[1]?.children ?? []);
    return header === undefined ? [] : [{ kind: 'each', ...header, body, between: [], otherwise, place }];
  }

  /** A local name with what follows it in its block; where its header is wrong, what follows alone. */
  #local<T>({ line, place }: Frame, read: () => T[]): (T | Steering<T>)[] {
    this.#names += 1;
    if (this.#names > MAX_NAMES) {
      if (this.#names === MAX_NAMES + 1)
        this.problems.push(
          problem('too-many-names', place, `This source has more than ${MAX_NAMES} local names.`, 'Move a part into its own block.'),
        );
      return [];
    }
    const header = line === undefined ? undefined : letHeader({ line, place, source: this.source, problems: this.problems });
    const body = read();
    return header === undefined ? body : [{ kind: 'let', ...header, body, place }];
  }

  #block(frame: Frame): Flow[] {
    if (frame.name === 'if') return this.#steered(frame, (children) => this.#flows(children));
    if (frame.name === 'each') return oneList(this.#steered(frame, (children) => this.#flows(children)));
    const line = frame.line as Line;
    const { place } = frame;
    const colons = this.source.text.startsWith(':::', place.offset) ? 3 : 2;
    const namePlace = this.source.place(place.offset + colons, frame.name.length);
    const args = parseArguments(this.source, place.offset + colons + frame.name.length, line.offset + line.text.length, this.problems);
    return [{ kind: 'block', name: frame.name, args, content: this.#content(frame), place, namePlace }];
  }

  #content(frame: Frame): Extract<Flow, { kind: 'block' }>['content'] {
    const children = frame.parts[0]?.children ?? [];
    switch (frame.mode) {
      case 'none':
      case 'optional':
      case 'gives-rows':
      case 'gives-facts':
        return { mode: 'none' };
      case 'verbatim':
      case 'flow':
        return { mode: 'flow', children: this.#flows(children) };
      case 'facts':
        return { mode: 'facts', children: this.#entries(children, (region) => readFacts(region, this.source, this.#prose, this.problems)) };
      case 'rows':
        return { mode: 'rows', children: this.#entries(children, (region) => readRows(region, this.source, this.#prose, this.problems)) };
      case 'raw': {
        return { mode: 'raw', pieces: children.flatMap((child) => (child.kind === 'run' ? this.#prose.verbatim(child.region) : [])) };
      }
    }
  }

  #entries<T>(children: readonly Child[], read: (region: Region) => T[]): (T | Steering<never>)[] {
    const local = children.findIndex((child) => child.kind === 'done' && child.frame.name === 'let');
    const entries = (local === -1 ? children : children.slice(0, local)).flatMap((child): (T | Steering<never>)[] => {
      if (child.kind === 'run') return read(child.region);
      if (child.frame.mode === 'gives-rows' || child.frame.mode === 'gives-facts') return this.#block(child.frame) as T[];
      if (child.frame.name !== 'if' && child.frame.name !== 'each') return [];
      return this.#steered(child.frame, (inner) => this.#entries(inner, read)) as Steering<never>[];
    });
    const named = children[local];
    if (named?.kind !== 'done') return entries;
    return [...entries, ...(this.#local(named.frame, () => this.#entries(children.slice(local + 1), read)) as (T | Steering<never>)[])];
  }
}
