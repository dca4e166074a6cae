import type {
  Argument,
  BlockUse,
  Branches,
  Expression,
  Fact,
  Flow,
  Inline,
  ListItem,
  Local,
  Loop,
  Parts,
  Row,
  SourceTree,
  Steering,
  Verbatim,
  VerbatimTree,
} from '../notation/index.js';
import { problem, warning, type Place, type Problem } from '../problems/index.js';
import { argumentFaults, barewordFaults, choiceFaults, inputFaults } from './block-arguments.js';
import { slotFaults } from './slots.js';
import { ExpressionTyper, type Watch } from './expressions.js';
import type { SayTypes } from './say-use.js';
import { insertFaults } from './insertion.js';
import { declaredFields, typeOfSchema, type JsonSchema } from './schema.js';
import { Scope } from './scope.js';
import type { BlockArgument, BlockSignature } from './signature.js';
import { FAULTY, isFaulty, optional, TEXT, textOf, type Type } from './type.js';
import { loopNames } from './loop-names.js';
import { shown } from './wording.js';

/** The fields of `mail`, which every template may use beside its data. */
const MAIL_FIELDS: Readonly<Record<string, Type>> = {
  locale: TEXT,
  baseUrl: textOf('uri'),
  space: TEXT,
  unsubscribe: textOf('uri'),
};

/** Without a base URL, there is none, and no page that ends a subscription. */
const NEEDS_BASE = new Set(['baseUrl', 'unsubscribe']);

const mailType = (hasBaseUrl: boolean): Type => ({
  absent: false,
  members: [
    {
      kind: 'record',
      isService: true,
      names: Object.keys(MAIL_FIELDS),
      open: false,
      others: () => undefined,
      field: (name) => {
        const type = Object.hasOwn(MAIL_FIELDS, name) ? MAIL_FIELDS[name] : undefined;
        if (type === undefined) return undefined;
        return { type: hasBaseUrl || !NEEDS_BASE.has(name) ? type : optional(type), pointers: [], nullable: false, optional: false };
      },
    },
  ],
});

export interface TypingInput {
  /** The sources that make up one mail: layout and template; their front matters and bodies are typed against the same data. */
  readonly trees: readonly SourceTree[];
  /** Sources that are taken as they stand: a text part written by hand, HTML of one's own. */
  readonly verbatim?: readonly VerbatimTree[];
  readonly schema: JsonSchema;
  /** Names in reach instead of the schema's fields: the inputs of a block of one's own. */
  readonly names?: ReadonlyMap<string, Type>;
  readonly signatures: ReadonlyMap<string, BlockSignature>;
  readonly say?: SayTypes;
  /** Whether the folder says where its links lead. */
  readonly hasBaseUrl: boolean;
  readonly watch?: Watch | undefined;
  /** Names that only one of the trees has beside the data: the inputs of a layout. */
  readonly inputs?: ReadonlyMap<SourceTree, ReadonlyMap<string, Type>>;
  /** What front matters give to the inputs of layouts. */
  readonly gifts?: readonly Gift[];
}

/** A value of a front matter that an input of a layout takes. */
export interface Gift {
  readonly layout: string;
  readonly wanted: BlockArgument;
  readonly arg: Argument;
  /** The tree whose front matter it is in. */
  readonly from: SourceTree;
}

export interface Typing {
  readonly problems: Problem[];
  /** What each expression may be. */
  readonly types: ReadonlyMap<Expression, Type>;
  /** Declared fields of the data that nothing uses, as an author writes their paths. */
  readonly unusedFields: readonly string[];
}

/** Types an email against its data schema (4-template-notation, Types). */
export function typeTrees(input: TypingInput): Typing {
  const problems: Problem[] = [];
  const root = input.names === undefined ? typeOfSchema(input.schema) : undefined;
  const names = new Map<string, Type>([...(input.names ?? []), ['mail', mailType(input.hasBaseUrl)]]);
  const expressions = new ExpressionTyper(problems, input.say, input.watch);
  const typer = new TreeTyper(expressions, problems, input.signatures);
  const scope = Scope.of(root, names);
  const scopeOf = (tree: SourceTree): Scope => {
    const own = input.inputs?.get(tree);
    return own === undefined ? scope : Scope.of(root, [...names, ...own]);
  };
  for (const tree of input.trees) {
    for (const [, value] of tree.front) typer.parts(value.parts, scopeOf(tree));
    typer.flows(tree.body, scopeOf(tree));
  }
  for (const { layout, wanted, arg, from } of input.gifts ?? []) typer.gift(layout, wanted, arg, scopeOf(from));
  for (const tree of input.verbatim ?? []) {
    for (const [, value] of tree.front) typer.parts(value.parts, scope);
    typer.verbatim(tree.body, scope);
  }
  const used = expressions.usedFields;
  // What several templates have in common is not used by each of them.
  const declared = [...declaredFields(input.schema)].filter(([pointer]) => !pointer.startsWith(SHARED));
  const unusedPointers = declared.filter(([pointer]) => !used.has(pointer)).map(([pointer]) => pointer);
  const unusedFields = declared
    .filter(
      ([pointer]) =>
        unusedPointers.includes(pointer) &&
        !unusedPointers.some((unusedPointer) => unusedPointer !== pointer && pointer.startsWith(`${unusedPointer}/`)),
    )
    .map(([, path]) => path);
  return { problems, types: expressions.types, unusedFields };
}

/** Where schemas of other files are put: see folder/schema-references. */
const SHARED = '/$defs/schemas~1';

class TreeTyper {
  /** Blocks that are directly inside another. */
  readonly #placed = new WeakSet<BlockUse>();

  constructor(
    private readonly expressions: ExpressionTyper,
    private readonly problems: Problem[],
    private readonly signatures: ReadonlyMap<string, BlockSignature>,
  ) {}

  /** A value that is put into the mail as it is. `prose`: in running text, which may have line breaks. */
  #inserted(value: Expression, scope: Scope, { prose = false }: { readonly prose?: boolean } = {}): void {
    this.problems.push(...insertFaults(value, this.expressions.type(value, scope), { prose }));
  }

  parts(parts: Parts, scope: Scope): void {
    for (const part of parts) if (typeof part !== 'string') this.#inserted(part, scope);
  }

  inlines(nodes: readonly Inline[], scope: Scope): void {
    for (const node of nodes) {
      switch (node.kind) {
        case 'insert':
          this.problems.push(...insertFaults(node.value, this.expressions.typeInserted(node.value, scope), { prose: true }));
          break;
        case 'emphasis':
        case 'strong':
        case 'struck':
          this.inlines(node.children, scope);
          break;
        case 'link':
          this.parts(node.to, scope);
          this.parts(node.title, scope);
          this.inlines(node.children, scope);
          break;
        case 'picture':
          this.parts(node.source, scope);
          this.parts(node.alt, scope);
          this.parts(node.title, scope);
          break;
        case 'code':
          this.parts(node.parts, scope);
          break;
        case 'if':
        case 'each':
        case 'let':
          this.#steering(node, scope, (body, inner) => {
            this.inlines(body, inner);
          });
          break;
        case 'break':
        case 'text':
        default:
      }
    }
  }

  verbatim(nodes: readonly Verbatim[], scope: Scope, { prose = true }: { readonly prose?: boolean } = {}): void {
    this.#steered(nodes, scope, (node: Extract<Verbatim, { kind: 'text' | 'insert' }>, inner) => {
      if (node.kind === 'insert') this.#inserted(node.value, inner, { prose });
    });
  }

  flows(nodes: readonly Flow[], scope: Scope): void {
    for (const node of nodes) {
      switch (node.kind) {
        case 'heading':
        case 'paragraph':
          this.inlines(node.children, scope);
          break;
        case 'list':
          this.#steered(node.items, scope, (item: ListItem, inner) => {
            this.flows(item.children, inner);
          });
          break;
        case 'quote':
          this.flows(node.children, scope);
          break;
        case 'code':
          this.parts(node.parts, scope);
          break;
        case 'rule':
          break;
        case 'table':
          for (const row of [node.head, ...node.rows]) for (const cell of row) this.inlines(cell, scope);
          break;
        case 'block':
          this.#block(node, scope);
          break;
        case 'if':
        case 'each':
        case 'let':
          this.#steering(node, scope, (body, inner) => {
            this.flows(body, inner);
          });
          break;
      }
    }
  }

  #steering<T>(node: Steering<T>, scope: Scope, each: (body: readonly T[], scope: Scope) => void): void {
    if (node.kind === 'if') this.#branches(node, scope, each);
    else if (node.kind === 'each') this.#loop(node, scope, each);
    else this.#local(node, scope, each);
  }

  #local<T>(node: Local<T>, scope: Scope, each: (body: readonly T[], scope: Scope) => void): void {
    const type = this.expressions.type(node.value, scope);
    this.#reserved(node);
    each(node.body, scope.with(node.name, type, node));
  }

  #reserved({ name, place }: { readonly name: string; readonly place: Place }): void {
    if (name === 'mail')
      this.problems.push(problem('reserved-name', place, '"mail" is what the service gives; another name is needed here.'));
  }

  #branches<T>(node: Branches<T>, scope: Scope, each: (body: readonly T[], scope: Scope) => void): void {
    let rest = scope;
    for (const { test, body } of node.branches) {
      if (test === undefined) {
        each(body, rest);
        continue;
      }
      const type = this.expressions.type(test, rest);
      if (!type.absent && type.members.length > 0 && type.members.every((member) => member.kind === 'record')) {
        this.problems.push(warning('test-always', test.place, `"${shown(test)}" is always there, so this test is always true.`));
      }
      each(body, this.expressions.narrowed(rest, test, { outcome: true }));
      rest = this.expressions.narrowed(rest, test, { outcome: false });
    }
  }

  #loop<T>(node: Loop<T>, scope: Scope, each: (body: readonly T[], scope: Scope) => void): void {
    const type = this.expressions.type(node.list, scope);
    this.#reserved(node);
    const { entry, second, problems } = loopNames(node, type);
    this.problems.push(...problems);
    if (second !== undefined) this.expressions.useWhole(type, 1);
    let inner = scope.with(node.name, isFaulty(entry) ? FAULTY : entry, node);
    if (node.second !== undefined) inner = inner.with(node.second, second ?? FAULTY, node);
    each(node.body, inner);
    each(node.between, inner);
    each(node.otherwise, scope);
  }

  #steered<T extends { readonly kind: string }>(
    nodes: readonly (T | Steering<unknown>)[],
    scope: Scope,
    each: (node: T, scope: Scope) => void,
  ): void {
    for (const node of nodes) {
      if (node.kind === 'if' || node.kind === 'each' || node.kind === 'let')
        this.#steering(node as Steering<T>, scope, (body, inner) => {
          this.#steered(body, inner, each);
        });
      else each(node as T, scope);
    }
  }

  #block(node: BlockUse, scope: Scope): void {
    const signature = this.signatures.get(node.name);
    for (const arg of node.args) {
      this.problems.push(...barewordFaults(arg, scope));
      const wanted = arg.name === undefined ? signature?.first : signature?.args.find((argument) => argument.name === arg.name);
      if (wanted?.kind === 'value') this.#input(node.name, wanted, arg, scope);
      else if (wanted?.kind === 'choice' && arg.parts.some((part) => typeof part !== 'string')) this.#choice(node.name, wanted, arg, scope);
      else this.parts(arg.parts, scope);
    }
    if (signature !== undefined) this.problems.push(...argumentFaults(node, signature));
    this.problems.push(...slotFaults(node, signature));
    if (node.name === 'slot' && !this.#placed.has(node))
      this.problems.push(
        problem(
          'slot-here',
          node.namePlace,
          'A slot is directly inside the block that it fills.',
          'It cannot be in a condition or a loop there; put those into it.',
        ),
      );
    if (node.content.mode === 'flow') for (const child of node.content.children) if (child.kind === 'block') this.#placed.add(child);
    const { content } = node;
    switch (content.mode) {
      case 'flow':
        this.flows(content.children, scope);
        break;
      case 'facts':
        this.#steered(content.children, scope, (fact: Fact | BlockUse, inner) => {
          if (fact.kind === 'block') {
            this.#block(fact, inner);
            return;
          }
          this.inlines(fact.label, inner);
          this.inlines(fact.value, inner);
        });
        break;
      case 'rows':
        if (node.name === 'steps')
          for (const child of content.children)
            if (child.kind !== 'row')
              this.problems.push(
                problem(
                  'steps-form',
                  child.place,
                  'The steps of "steps" are counted when the mail is compiled: they cannot be in a loop or a condition.',
                  'Write each step out.',
                ),
              );
        this.#steered(content.children, scope, (row: Row | BlockUse, inner) => {
          if (row.kind === 'block') this.#block(row, inner);
          else for (const cell of row.cells) this.inlines(cell, inner);
        });
        break;
      case 'raw':
        this.verbatim(content.pieces, scope);
        break;
      case 'none':
      default:
    }
  }

  /** A value in place of a word: every text that it can be must be one of the words. */
  #choice(block: string, wanted: BlockArgument, arg: Argument, scope: Scope): void {
    const [value] = arg.parts;
    const isOne = arg.parts.length === 1 && value !== undefined && typeof value !== 'string';
    const type = isOne ? this.expressions.type(value, scope) : undefined;
    this.problems.push(...choiceFaults(block, wanted, arg, type));
  }

  /** A value that a front matter gives to a layout. */
  gift(layout: string, wanted: BlockArgument, arg: Argument, scope: Scope): void {
    this.#input(layout, wanted, arg, scope);
  }

  /** An input takes a value of its type; several parts make a text, or an address where one is wanted. */
  #input(block: string, wanted: BlockArgument, arg: Argument, scope: Scope): void {
    const [only] = arg.parts;
    const value = arg.parts.length === 1 && only !== undefined && typeof only !== 'string' ? only : undefined;
    if (value === undefined) this.parts(arg.parts, scope);
    const given = value === undefined ? undefined : this.expressions.type(value, scope);
    // What the block takes of a record is its own affair.
    if (given !== undefined) this.expressions.useWhole(given);
    this.problems.push(...inputFaults({ block, wanted, arg, value, given }));
  }
}
