import type { Argument, BlockUse, Expression } from '../notation/index.js';
import { didYouMean, problem, type Place, type Problem } from '../problems/index.js';
import { accepts } from './accepts.js';
import { hasFormat } from './kinds.js';
import type { Scope } from './scope.js';
import type { BlockArgument, BlockSignature } from './signature.js';
import { ANY, isFaulty, isNumeral, literal, mayBeAnything, optional, present, TEXT, type Type } from './type.js';
import { absenceHint, anythingHint } from './wording.js';

/** A path without braces is its letters: hardly what was meant. */
export function barewordFaults(arg: Argument, scope: Scope): Problem[] {
  const [only] = arg.parts;
  const path = arg.bare && arg.parts.length === 1 && typeof only === 'string' ? /^([\p{L}_]\w*)(?:\.[\p{L}_]\w*)+$/u.exec(only) : null;
  if (path === null || !scope.all.includes(path[1] ?? '')) return [];
  return [
    problem(
      'bare-path',
      arg.place,
      `This gives the text "${path[0]}".`,
      `Did you mean {{ ${path[0]} }}? For the text itself, put quotes around it.`,
    ),
  ];
}

/** Arguments that a block does not have, lacks, or cannot take. */
export function argumentFaults(node: BlockUse, signature: BlockSignature): Problem[] {
  const problems: Problem[] = [];
  const given = new Map<string | undefined, Argument>(node.args.map((arg) => [arg.name, arg]));
  const names = signature.args.map((arg) => arg.name);
  const first = given.get(undefined);
  if (first !== undefined && signature.first === undefined)
    problems.push(
      problem('unknown-argument', first.place, `The block "${node.name}" takes no value without a name.`, didYouMean('', names)),
    );
  if (signature.first?.required === true && first === undefined)
    problems.push(missing(node, `its first value, ${signature.first.summary}`, `::${node.name} "…"`));
  for (const arg of node.args) {
    if (arg.name === undefined) continue;
    const wanted = signature.args.find((argument) => argument.name === arg.name);
    if (wanted === undefined)
      problems.push(
        problem('unknown-argument', arg.place, `The block "${node.name}" has no argument "${arg.name}".`, didYouMean(arg.name, names)),
      );
    else problems.push(...valueFaults(node.name, wanted, arg));
  }
  if (first !== undefined && signature.first !== undefined) problems.push(...valueFaults(node.name, signature.first, first));
  for (const wanted of signature.args) {
    if (wanted.required === true && !given.has(wanted.name)) problems.push(missing(node, `"${wanted.name}"`, `${wanted.name}="…"`));
  }
  return problems;
}

function missing(node: { readonly name: string; readonly namePlace: Place }, what: string, example: string): Problem {
  return problem('missing-argument', node.namePlace, `The block "${node.name}" needs ${what}.`, `For example ${example}`);
}

function valueFaults(block: string, wanted: BlockSignature['args'][number], arg: Argument): Problem[] {
  const written = writtenOut(arg);
  if (wanted.kind === 'choice' && written !== undefined && !(wanted.choices ?? []).includes(written))
    return [
      problem(
        'argument-choice',
        arg.place,
        `"${wanted.name}" of "${block}" is one of its words; "${written}" is not.`,
        didYouMean(written, wanted.choices ?? []),
      ),
    ];
  if (wanted.kind === 'number' && (written === undefined || !/^\d{1,5}$/.test(written)))
    return [problem('argument-number', arg.place, `"${wanted.name}" of "${block}" must be a whole number of pixels.`)];
  if (written === '' && wanted.required === true) return [problem('argument-empty', arg.place, `"${wanted.name}" of "${block}" is empty.`)];
  return [];
}

/** Why a value cannot choose among the words of an argument: each that it can be must be one of them. */
export function choiceFaults(block: string, wanted: BlockArgument, arg: Argument, type: Type | undefined): Problem[] {
  const words = wanted.choices ?? [];
  const fault = (message: string): Problem[] => [problem('argument-choice', arg.place, message, `One of: ${words.join(', ')}.`)];
  if (type === undefined) return fault(`"${wanted.name}" of "${block}" is one of its words, or one value that is.`);
  if (isFaulty(type)) return [];
  const values = type.members.map((member) => (member.kind === 'text' ? member.values : undefined));
  if (type.absent || values.some((known) => known === undefined))
    return fault(`"${wanted.name}" of "${block}" is one of its words; this value may be ${type.absent ? 'absent' : 'anything else'}.`);
  const wrong = values.flat().find((value) => value !== undefined && !words.includes(value));
  return wrong === undefined ? [] : fault(`"${wanted.name}" of "${block}" is one of its words; "${wrong}" is not.`);
}

/** The text of an argument that holds no values. */
function writtenOut(arg: Argument): string | undefined {
  return arg.parts.every((part) => typeof part === 'string') ? arg.parts.join('') : undefined;
}

/** A value that an input of one's own block is given. */
export interface InputUse {
  readonly block: string;
  readonly wanted: BlockArgument;
  readonly arg: Argument;
  /** The value, with its type, where nothing else is given. */
  readonly value: Expression | undefined;
  readonly given: Type | undefined;
}

/** Why an input cannot take what it is given. */
export function inputFaults({ block, wanted, arg, value, given: typed }: InputUse): Problem[] {
  const type = wanted.type ?? ANY;
  const takesAddress = type.members.some((member) => hasFormat(member, 'uri') || hasFormat(member, 'uri-reference'));
  // An address that is written out, or put together, is checked as one where it is made.
  if (typed === undefined && takesAddress) return [];
  const given = typed ?? typeOfText(writtenOut(arg), type);
  if (isFaulty(given)) return [];
  // What an input is when left out, it also is when its value is absent.
  const allowed = wanted.required === true ? type : optional(type);
  if (given.absent && !allowed.absent && !mayBeAnything(given)) {
    const hint = value === undefined ? undefined : absenceHint(value, given);
    return [problem('maybe-absent', arg.place, `"${wanted.name}" of "${block}" needs a value, and this one may be absent.`, hint)];
  }
  const why = accepts(type, present(given));
  if (why === undefined) return [];
  const at = why.path === '' ? '' : ` at "${why.path.replace(/^\./, '')}"`;
  return [
    problem('input-type', arg.place, `"${wanted.name}" of "${block}" takes ${why.wanted}${at}; this is ${why.given}.`, anythingHint(given)),
  ];
}

/** What a written text is where a type is wanted: "12" is a number, unless a text is wanted too. */
function typeOfText(written: string | undefined, wanted: Type): Type {
  if (written === undefined) return TEXT;
  if (isNumeral(written) && !wanted.members.some((member) => member.kind === 'text')) return literal(Number(written));
  if (/^(?:true|false)$/.test(written) && wanted.members.every((member) => member.kind === 'truth')) return literal(written === 'true');
  return literal(written);
}
