import { within, type Verbatim } from '../notation/index.js';
import { problem, type Place } from '../problems/index.js';
import type { Op, TextOp } from '../render/index.js';
import { elementsOf, isIntact, readDocument, refuseForbidden, type DomFault } from './dom.js';
import { checkSteering } from './steering.js';
import type { Writing } from './write-attributes.js';
import { NO_CHANGES, writeHtml } from './write-html.js';
import { textOfDocument } from './html-text.js';
import { mark, type Marked, type SlotOp } from './marked.js';
import type { CompileContext } from './context.js';
import { tagsOf, VOID } from '../html/index.js';
import type { Names } from './values.js';
import { placedOps } from './verbatim.js';

/** Elements whose end may be left out (HTML 13.1.2.4). */
const END_MAY_MISS = new Set(['p', 'li', 'dt', 'dd', 'tr', 'td', 'th', 'thead', 'tbody', 'tfoot', 'colgroup', 'option']);

const BODY = '<!DOCTYPE html><html><head></head><body>';
const AROUND = new Set(['html', 'head', 'body']);

/** Markup within a Markdown source: checked as a document of one's own is, and said in the text part too. */
export function rawHtml(nodes: readonly Verbatim[], names: Names, context: CompileContext): { html: Op[]; text: TextOp[] } {
  // In a body, nothing at the start is parsed as part of the head.
  const marked = mark([BODY, ...placedOps(nodes, names, context)]);
  const faults: DomFault[] = [];
  const start = nodes[0]?.place;
  const placeOf = (offset: number | undefined): Place => placeIn(nodes, marked, offset);
  const unbalanced = balanceFault(marked);
  if (unbalanced !== undefined) faults.push(unbalanced);
  const document = readDocument(marked);
  let made: { html: Op[]; text: TextOp[] } = { html: [], text: [] };
  if (isIntact(document, marked, faults)) {
    refuseForbidden(document, faults, { isPart: true });
    checkSteering(document, marked, faults);
    const body = elementsOf(document).find(({ name }) => name === 'body');
    const writing: Writing = { marked, context, placeOf, faults, classes: false };
    for (const node of elementsOf(document)) {
      if (AROUND.has(node.name)) continue;
      for (const value of Object.values(node.attribs))
        if (/\uFDD0\d+\uFDD1/.test(value) && isSlot(marked, value))
          faults.push({
            code: 'raw-data',
            message: 'Within ":::raw html", a value can be in text only, not in an attribute.',
            hint: 'Links and pictures of data are made by blocks: "::action", "::picture". Or write the mail as message.html.',
            offset: (node as { sourceCodeLocation?: { startOffset: number } | null }).sourceCodeLocation?.startOffset,
          });
    }
    made = {
      html: writeHtml(writing, NO_CHANGES, BODY.length),
      text: textOfDocument(body?.children ?? [], writing),
    };
  }
  if (start !== undefined)
    for (const fault of faults) context.problems.push(problem(fault.code, fault.place ?? placeOf(fault.offset), fault.message, fault.hint));
  return made;
}

function isSlot(marked: Marked, value: string): boolean {
  return [...value.matchAll(/\uFDD0(\d+)\uFDD1/g)].some((found) => (marked.hidden[Number(found[1])] as SlotOp | undefined)?.op === 'slot');
}

/** The place in the source of an offset in the marked text. Each piece of a region knows its own. */
function placeIn(nodes: readonly Verbatim[], marked: Marked, offset: number | undefined): Place {
  const first = nodes[0]?.place ?? { file: '', line: 1, column: 1, offset: 0, length: 0 };
  const origin = offset === undefined ? undefined : marked.origins.findLast(({ at }) => at <= offset);
  if (origin === undefined || offset === undefined) return first;
  const piece = placesOf(nodes).findLast((place) => place.offset <= origin.offset) ?? first;
  const more = origin.offset - piece.offset + offset - origin.at;
  return { ...piece, offset: piece.offset + more, column: piece.column + more, length: 1 };
}

function placesOf(nodes: readonly Verbatim[]): Place[] {
  return nodes
    .flatMap((node): Place[] => (node.kind === 'text' || node.kind === 'insert' ? [node.place] : placesOf(within<Verbatim>(node))))
    .sort((a, b) => a.offset - b.offset);
}

/** Markup that opens what it does not close would take the rest of the mail with it. */
function balanceFault(marked: Marked): DomFault | undefined {
  const { tags, cutOff } = tagsOf(marked.html);
  const fault = (message: string, offset: number | undefined): DomFault => ({
    code: 'html-open',
    message,
    hint: 'A ":::raw html" block closes all that it opens, and nothing else.',
    offset,
  });
  if (cutOff) return fault('This markup ends in the middle of a tag or a comment.', undefined);
  const open: { name: string; from: number }[] = [];
  for (const tag of tags) {
    if (AROUND.has(tag.name)) continue;
    if (tag.kind === 'start' && !VOID.has(tag.name) && !tag.selfClosing) open.push(tag);
    if (tag.kind !== 'end' || VOID.has(tag.name)) continue;
    while (open.length > 0 && open.at(-1)?.name !== tag.name && END_MAY_MISS.has(open.at(-1)?.name ?? '')) open.pop();
    if (open.at(-1)?.name !== tag.name) return fault(`</${tag.name}> closes nothing that is open here.`, tag.from);
    open.pop();
  }
  const left = open.find(({ name }) => !END_MAY_MISS.has(name));
  return left === undefined ? undefined : fault(`<${left.name}> is not closed.`, left.from);
}
