import { isComment, isTag, isText, type ChildNode, type Element } from 'domhandler';
import { joined } from '../html/index.js';
import type { Op, TextItem, TextOp, TextRow } from '../render/index.js';
import type { Address } from '../render/index.js';
import { addressOf } from './address.js';
import { attributeOffset, type DomFault } from './dom.js';
import { steered } from './steering.js';
import type { Writing } from './write-attributes.js';
import { piecesOf, type SlotOp } from './marked.js';
import { inserted } from './sides.js';

const PHRASING = new Set([
  'a',
  'abbr',
  'b',
  'bdi',
  'bdo',
  'big',
  'br',
  'cite',
  'code',
  'del',
  'em',
  'font',
  'i',
  'img',
  'ins',
  'kbd',
  'mark',
  'q',
  's',
  'samp',
  'small',
  'span',
  'strike',
  'strong',
  'sub',
  'sup',
  'time',
  'tt',
  'u',
  'var',
  'wbr',
]);
const SILENT = new Set(['head', 'style', 'title', 'script', 'template']);

/** The text part of an HTML source: made from the structure of its document, not by taking tags away. */
export function textOfDocument(body: readonly ChildNode[], writing: Writing): TextOp[] {
  const { marked } = writing;
  // Faults of crossing marks were told when the HTML was made.
  const faults: DomFault[] = [];

  const ops = (data: string, treat: (text: string) => string): Op[] =>
    piecesOf(data, marked.hidden).map((piece): Op => {
      if (typeof piece === 'string') return treat(piece);
      if (piece.op === 'slot') return inserted(piece.expression, piece.names, 'text');
      return piece.op === 'put' ? { ...piece, as: 'text' } : piece;
    });
  const text = (data: string): Op[] => ops(data, (fixed) => fixed.replace(/\s+/g, ' '));

  const addressIn = (node: Element): Address => {
    const pieces = piecesOf(node.attribs['href'] ?? '', marked.hidden);
    const [only] = pieces;
    if (pieces.length === 1 && typeof only === 'object' && only.op === 'address') return only.address;
    const parts = pieces.filter((piece): piece is string | SlotOp => typeof piece === 'string' || piece.op === 'slot');
    return addressOf(parts, writing.context, writing.placeOf(attributeOffset(node, 'href')), 'link');
  };

  const inline = (node: ChildNode): Op[] => {
    if (isText(node)) return text(node.data);
    if (!isTag(node) || SILENT.has(node.name) || isHiddenElement(node)) return [];
    const inner = (): Op[] => steered(node.children, marked, faults, inline);
    switch (node.name) {
      case 'br':
        return ['\n'];
      case 'img': {
        const alt = node.attribs['alt'] ?? '';
        return alt.trim() === '' ? [] : ['[', ...text(alt), ']'];
      }
      case 'del':
      case 's':
      case 'strike':
        return ['~', ...inner(), '~'];
      case 'a': {
        const href = node.attribs['href'] ?? '';
        if (isBare(node, href)) return inner();
        return [...inner(), ' ', { op: 'note', address: addressIn(node) }];
      }
      default:
        return inner();
    }
  };

  /** Blocks in a row of siblings: phrasing that stands together is one paragraph. */
  const blocks = (nodes: readonly ChildNode[]): TextOp[] => {
    const out: TextOp[] = [];
    let run: ChildNode[] = [];
    const flush = (): void => {
      const said = run.filter((node) => !isText(node) || node.data.trim() !== '');
      const [only] = said;
      if (said.length === 1 && only !== undefined && isLink(only)) out.push(link(only));
      else if (said.length > 0) {
        const body = joined(steered(run, marked, faults, inline));
        if (body.length > 0) out.push({ op: 'paragraph', body });
      }
      run = [];
    };
    for (const node of steeredRuns(nodes)) {
      if (Array.isArray(node)) {
        flush();
        out.push(...steered<TextOp>(node, marked, faults, (inner) => blocks([inner])));
      } else if (isText(node) || isComment(node) || (isTag(node) && PHRASING.has(node.name))) run.push(node);
      else {
        flush();
        if (isTag(node)) out.push(...block(node));
      }
    }
    flush();
    return out;
  };

  /** Branches and loops over blocks stand apart from prose; those over phrasing belong to their paragraph. */
  function* steeredRuns(nodes: readonly ChildNode[]): Generator<ChildNode | ChildNode[]> {
    let gathered: ChildNode[] = [];
    let depth = 0;
    for (const node of nodes) {
      const data = isComment(node) ? node.data : '';
      if (data.startsWith('\uFDD0begin')) depth += 1;
      if (depth > 0) gathered.push(node);
      else if (!isComment(node)) yield node;
      if (data.startsWith('\uFDD0end')) {
        depth -= 1;
        if (depth === 0) {
          if (
            gathered.every((childNode) => !isTag(childNode) || PHRASING.has(childNode.name)) &&
            gathered.some((childNode) => isText(childNode) && childNode.data.trim() !== '')
          )
            yield* gathered;
          else yield gathered;
          gathered = [];
        }
      }
    }
  }

  const isLink = (node: ChildNode): node is Element => isTag(node) && node.name === 'a' && !isBare(node, node.attribs['href'] ?? '');
  const link = (node: Element): TextOp => ({
    op: 'link',
    label: joined(steered(node.children, marked, faults, inline)),
    to: { op: 'address', address: addressIn(node), as: 'text' },
  });

  const block = (node: Element): TextOp[] => {
    if (SILENT.has(node.name) || isHiddenElement(node)) return [];
    const heading = /^h([1-6])$/.exec(node.name);
    if (heading !== null)
      return [{ op: 'heading', depth: Number(heading[1]), body: joined(steered(node.children, marked, faults, inline)) }];
    switch (node.name) {
      case 'hr':
        return [{ op: 'rule' }];
      case 'pre':
        return [
          {
            op: 'inset',
            first: '    ',
            rest: '    ',
            body: [
              {
                op: 'lines',
                body: joined(
                  steered(node.children, marked, faults, (childNode) =>
                    isText(childNode) ? ops(childNode.data, (fixed) => fixed) : inline(childNode),
                  ),
                ),
              },
            ],
          },
        ];
      case 'blockquote':
        return [{ op: 'inset', first: '> ', rest: '> ', body: blocks(node.children) }];
      case 'ul':
      case 'ol': {
        const items = steered<TextItem>(node.children, marked, faults, (childNode) =>
          isTag(childNode) ? [{ op: 'item', body: blocks(childNode.children) }] : [],
        );
        return [{ op: 'list', ordered: node.name === 'ol', start: Number(node.attribs['start'] ?? 1), tight: true, items }];
      }
      case 'table':
        return table(node);
      default:
        return blocks(node.children);
    }
  };

  /** A table that holds data keeps its columns; one that only lays out is gone through cell by cell. */
  const table = (node: Element): TextOp[] => {
    if (!isDataTable(node)) return blocks(node.children);
    const rows = (list: readonly ChildNode[]): TextRow[] =>
      steered<TextRow>(list, marked, faults, (childNode) => {
        if (!isTag(childNode)) return [];
        if (childNode.name !== 'tr') return rows(childNode.children);
        const cells = childNode.children.filter(isTag).flatMap((cell) => {
          const span = Math.max(1, Math.min(20, Number(cell.attribs['colspan'] ?? 1) || 1));
          return [joined(steered(cell.children, marked, faults, inline)), ...Array.from({ length: span - 1 }, (): Op[] => [])];
        });
        const inFoot = childNode.parent !== null && isTag(childNode.parent) && childNode.parent.name === 'tfoot';
        return [{ op: 'row', cells, total: inFoot }];
      });
    const made = rows(node.children);
    const right = flushRight(node);
    return [{ op: 'table', right, rows: made, ...(hasHead(node) ? { head: true as const } : {}) }];
  };

  return blocks(body);
}

/** A link that adds nothing to its words: none, one within the mail, or one whose words are its address. */
function isBare(node: Element, href: string): boolean {
  const [only] = node.children;
  const words = node.children.length === 1 && only !== undefined && isText(only) ? only.data.trim() : undefined;
  return href === '' || href.startsWith('#') || words === href.replace(/^mailto:/, '');
}

/** Whether an element is not shown. */
export function isHiddenElement(node: Element): boolean {
  return /(?:^|;)\s*display\s*:\s*none/i.test(node.attribs['style'] ?? '') || 'hidden' in node.attribs;
}

function descendants(node: Element, name: string): Element[] {
  return node.children.flatMap((child) => (isTag(child) ? [...(child.name === name ? [child] : []), ...descendants(child, name)] : []));
}

/** It says so (not role=presentation), has heading cells or several columns, and holds no table of its own. */
function isDataTable(node: Element): boolean {
  if (/^(?:presentation|none)$/i.test(node.attribs['role'] ?? '') || descendants(node, 'table').length > 0) return false;
  const widest = Math.max(0, ...descendants(node, 'tr').map((row) => row.children.filter(isTag).length));
  return descendants(node, 'th').length > 0 || widest > 1;
}

/** Whether its first row is one of headings. */
function hasHead(node: Element): boolean {
  const cells = descendants(node, 'tr')[0]?.children.filter(isTag) ?? [];
  return cells.length > 0 && cells.every((cell) => cell.name === 'th');
}

function flushRight(node: Element): boolean[] {
  const right: boolean[] = [];
  for (const row of descendants(node, 'tr')) {
    row.children.filter(isTag).forEach((cell, i) => {
      right[i] =
        (right[i] ?? false) ||
        /right/i.test(cell.attribs['align'] ?? '') ||
        /text-align\s*:\s*(?:right|end)/i.test(cell.attribs['style'] ?? '');
    });
  }
  return right;
}
