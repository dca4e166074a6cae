import { inWords, isFaulty, type Member, type Type } from './type.js';
import { isFormatted } from './kinds.js';

/** Why a value does not fit: what is wanted and what is given, at a path within the value. */
export interface Misfit {
  readonly path: string;
  readonly wanted: string;
  readonly given: string;
}

/** Levels at which records and lists are compared; deeper, a value counts as unfit, so that nothing is taken on trust. */
const DEEPEST = 16;

/** Whether every value of `given` is one of `wanted`: undefined when it is, else where and why not. */
export function accepts(wanted: Type, given: Type, path = '', depth = 0): Misfit | undefined {
  if (isFaulty(given) || isFaulty(wanted) || wanted.members.some((member) => member.kind === 'any')) return undefined;
  if (given.absent && !wanted.absent) return { path, wanted: inWords(wanted), given: inWords(given) };
  for (const member of given.members) {
    const misfits = wanted.members.map((other) => memberMisfit(other, member, path, depth));
    if (misfits.some((misfit) => misfit === undefined)) continue;
    // With one candidate of the same kind, what is wrong within it says more than the whole.
    const [only, ...more] = wanted.members.flatMap((other, i) => (other.kind === member.kind ? [misfits[i]] : []));
    return more.length === 0 && only !== undefined
      ? only
      : { path, wanted: wordsFor(wanted), given: wordsFor({ absent: false, members: [member] }) };
  }
  return undefined;
}

function wordsFor(type: Type): string {
  const values = type.members.flatMap((member): readonly unknown[] => ('values' in member ? (member.values ?? []) : []));
  if (values.length === 0 || !type.members.every((member) => 'values' in member && member.values !== undefined)) return inWords(type);
  return values
    .slice(0, 8)
    .map((value) => JSON.stringify(value))
    .join(' or ');
}

function memberMisfit(wanted: Member, given: Member, path: string, depth: number): Misfit | undefined {
  const misfit: Misfit = {
    path,
    wanted: wordsFor({ absent: false, members: [wanted] }),
    given: wordsFor({ absent: false, members: [given] }),
  };
  if (wanted.kind === 'any') return undefined;
  if (wanted.kind !== given.kind || depth > DEEPEST) return misfit;
  if ('values' in wanted && wanted.values !== undefined) {
    const values = 'values' in given ? given.values : undefined;
    if (values?.every((value) => (wanted.values as readonly unknown[]).includes(value)) !== true) return misfit;
  }
  if (wanted.kind === 'text' && given.kind === 'text')
    return (wanted.formats ?? []).every((format) => isFormatted(given, format)) ? undefined : misfit;
  if (wanted.kind === 'number' && given.kind === 'number')
    return (wanted.whole && !given.whole) || (wanted.nonzero === true && given.nonzero !== true) ? misfit : undefined;
  if (wanted.kind === 'list' && given.kind === 'list') {
    if (given.least < wanted.least)
      return { ...misfit, wanted: `a list of ${wanted.least} entries or more`, given: 'a list that may be shorter' };
    return accepts(wanted.of(), given.of(), `${path}[]`, depth + 1);
  }
  if (wanted.kind === 'record' && given.kind === 'record') {
    for (const name of wanted.names) {
      const field = given.field(name);
      const type: Type = field?.type ?? (given.open ? { absent: true, members: [{ kind: 'any' }] } : { absent: true, members: [] });
      const inner = accepts(wanted.field(name)?.type ?? type, type, `${path}.${name}`, depth + 1);
      if (inner !== undefined) return inner;
    }
  }
  return undefined;
}
