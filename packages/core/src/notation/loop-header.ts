import { problem, type Place, type Problem, type SourceText } from '../problems/index.js';
import { parseExpression } from './parse-expression.js';
import type { Local, Loop } from './tree.js';

interface Header {
  /** The directive's line, with its offset in the source. */
  readonly line: { readonly text: string; readonly offset: number };
  readonly place: Place;
  readonly source: SourceText;
  readonly problems: Problem[];
}

const EACH = /^([ \t]*:::?each)[ \t]+([\p{L}_][\p{L}\p{N}_]*)(?:[ \t]*,[ \t]*([\p{L}_][\p{L}\p{N}_]*))?[ \t]+in[ \t]+(?=\S)/u;
const LET = /^([ \t]*:::?let)[ \t]+([\p{L}_][\p{L}\p{N}_]*)[ \t]*=(?!=)[ \t]*(?=\S)/u;

/** Reads `:::each NAME[, SECOND] in LIST`. @returns undefined where it is not one; a problem says so */
export function loopHeader({ line, place, source, problems }: Header): Pick<Loop<never>, 'name' | 'second' | 'list'> | undefined {
  const header = EACH.exec(line.text);
  if (header === null) {
    problems.push(problem('each-form', place, 'A loop is written ":::each NAME in LIST".', 'For example ":::each fare in booking.fares".'));
    return undefined;
  }
  const list = parseExpression(source, line.offset + header[0].length, line.offset + line.text.length, problems);
  return list === undefined ? undefined : { name: header[2] ?? '', second: header[3], list };
}

/** Reads `::let NAME = VALUE`. @returns undefined where it is not one; a problem says so */
export function letHeader({ line, place, source, problems }: Header): Pick<Local<never>, 'name' | 'value'> | undefined {
  const header = LET.exec(line.text);
  if (header === null) {
    problems.push(
      problem(
        'let-form',
        place,
        'A local name is written "::let NAME = VALUE".',
        'For example "::let total = order.lines | sum "amount"".',
      ),
    );
    return undefined;
  }
  const value = parseExpression(source, line.offset + header[0].length, line.offset + line.text.length, problems);
  return value === undefined ? undefined : { name: header[2] ?? '', value };
}
