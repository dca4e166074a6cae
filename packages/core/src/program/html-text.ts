import { isComment, isTag, isText, type ChildNode, type Element } from 'domhandler';
import { joined } from '../html/index.js';
import type { Op, TextItem, TextOp, TextRow } from '../render/index.js';
import { attributeOffset, steered, type DomFault, type Locate } from './dom.js';
import { addressParts, reveal, type Marked } from './marked.js';

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
export function textOfDocument(body: readonly ChildNode[], marked: Marked, locate: Locate): TextOp[] {
  // Faults of crossing marks were told when the HTML was made.
  const faults: DomFault[] = [];

  const text = (data: string): Op[] =>
    reveal(data, marked.hidden, (fixed) => fixed.replace(/\s+/g, ' ')).map((op): Op =>
      typeof op !== 'string' && op.op === 'put' ? { ...op, as: 'text' } : op,
    );

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
      case 'b':
      case 'strong':
        return ['*', ...inner(), '*'];
      case 'i':
      case 'em':
        return ['_', ...inner(), '_'];
      case 'a': {
        const href = node.attribs['href'] ?? '';
        if (href === '' || href.startsWith('#') || href.startsWith('mailto:')) return inner();
        return [...inner(), ' ', { op: 'note', parts: addressParts(href, marked.hidden), at: locate(attributeOffset(node, 'href')) }];
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
            gathered.every((one) => !isTag(one) || PHRASING.has(one.name)) &&
            gathered.some((one) => isText(one) && one.data.trim() !== '')
          )
            yield* gathered;
          else yield gathered;
          gathered = [];
        }
      }
    }
  }

  const isLink = (node: ChildNode): node is Element =>
    isTag(node) && node.name === 'a' && !/^(?:#|mailto:|$)/.test(node.attribs['href'] ?? '');
  const link = (node: Element): TextOp => ({
    op: 'link',
    label: joined(steered(node.children, marked, faults, inline)),
    to: {
      op: 'address',
      parts: addressParts(node.attribs['href'] ?? '', marked.hidden),
      as: 'text',
      at: locate(attributeOffset(node, 'href')),
    },
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
                  steered(node.children, marked, faults, (one) =>
                    isText(one) ? reveal(one.data, marked.hidden, (fixed) => fixed) : inline(one),
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
        const items = steered<TextItem>(node.children, marked, faults, (one) =>
          isTag(one) ? [{ op: 'item', body: blocks(one.children) }] : [],
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
      steered<TextRow>(list, marked, faults, (one) => {
        if (!isTag(one)) return [];
        if (one.name !== 'tr') return rows(one.children);
        const cells = one.children.filter(isTag).flatMap((cell) => {
          const span = Math.max(1, Math.min(20, Number(cell.attribs['colspan'] ?? 1) || 1));
          return [joined(steered(cell.children, marked, faults, inline)), ...Array.from({ length: span - 1 }, (): Op[] => [])];
        });
        const inFoot = one.parent !== null && isTag(one.parent) && one.parent.name === 'tfoot';
        return [{ op: 'row', cells, total: inFoot }];
      });
    const made = rows(node.children);
    const right = flushRight(node);
    return [{ op: 'table', right, rows: made }];
  };

  return blocks(body);
}

function isHiddenElement(node: Element): boolean {
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
