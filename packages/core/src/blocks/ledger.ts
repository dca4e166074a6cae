import { colorClass, css, markup } from '../html/index.js';
import { within, type Inline, type Row, type RowPart } from '../notation/index.js';
import type { TextOp } from '../render/index.js';
import type { Block, Side } from './block.js';
import { textClass, letters } from './style.js';

function rowsIn(nodes: readonly RowPart[], side: Side): Row[] {
  return nodes.flatMap((node) => {
    if (node.kind === 'row') return [node];
    return rowsIn(node.kind === 'block' ? side.rowsOf(node) : within<RowPart>(node), side);
  });
}

/** Flush right: the last column, and each column whose cells are all numbers or amounts. */
function flushRight(nodes: readonly RowPart[], side: Side): boolean[] {
  const rows = rowsIn(nodes, side);
  const count = Math.max(0, ...rows.map((row) => row.cells.length));
  return Array.from({ length: count }, (_, c) => {
    // Headings follow what is under them.
    const cells = rows
      .filter(({ role }) => role !== 'head')
      .map((row) => row.cells[c] ?? [])
      .filter((cell) => cell.length > 0);
    return c > 0 && (c === count - 1 || (cells.length > 0 && cells.every((cell: readonly Inline[]) => side.numeric(cell))));
  });
}

const CAPTION = { name: 'caption', kind: 'text', summary: 'what the table is about' } as const;

export const ledger: Block = {
  signature: { name: 'ledger', first: CAPTION, args: [], content: 'rows' },
  summary:
    'Line items with amounts and totals: "- a | b | c" is a row, "= a | b | c" a total, "# a | b | c" the headings. In the text part the columns line up.',
  example: ':::ledger "Your fares"\n# Fare | Number | Price\n- Adult | 2 | €48.00\n- Bicycle | 1 | €6.50\n= Total | | €54.50\n:::',
  html(use, side) {
    if (use.content.mode !== 'rows') return [];
    const { theme, direction } = side;
    const { text: textColor, soft, size } = side.background;
    const right = flushRight(use.content.children, side);
    const [near, far] = direction === 'rtl' ? ['right', 'left'] : ['left', 'right'];
    const line = colorClass('line', 'line');
    // Letters are those of the table: a row is short, since there may be many.
    const cells = side.rows(use.content.children, (row, inner) => {
      const border =
        row.role === 'item' ? `border-bottom:1px solid ${theme.color.line.light}` : `border-bottom:2px solid ${theme.color.line.light}`;
      const columns = right.map((flush, c) => {
        const isHead = row.role === 'head';
        const tag = isHead || c === 0 ? 'th' : 'td';
        const scope = tag === 'td' ? '' : isHead ? ' scope="col"' : ' scope="row"';
        const gap = c === 0 ? '9px 0' : direction === 'rtl' ? '9px 16px 9px 0' : '9px 0 9px 16px';
        const weight = tag === 'th' && row.role === 'item' ? ';font-weight:normal' : '';
        const cell = `<${tag}${scope} class="${line}" align="${flush ? far : near}"${flush && !isHead ? ' nowrap' : ''} style="padding:${gap};${border}${weight}">`;
        return [cell, ...inner.inline(row.cells[c] ?? []), `</${tag}>`];
      });
      return markup`<tr${row.role === 'item' ? ' valign="top"' : ` class="${row.role}" style="font-weight:bold"`}>
${columns.flat()}</tr>
`;
    });
    const caption = side.argument(use, undefined);
    const style = css({
      margin: '0 0 24px',
      'border-collapse': 'collapse',
      hyphens: 'auto',
      'font-variant-numeric': 'tabular-nums',
    });
    const above =
      caption === undefined
        ? []
        : markup`<caption class="${textClass(soft)}" align="${near}" style="${letters(theme, soft, size, { 'text-align': near, padding: '0 0 4px' })}">${side.parts(caption.parts)}</caption>
`;
    return markup`<table class="block-ledger ${textClass(textColor)}" width="100%" cellpadding="0" cellspacing="0" border="0" style="${letters(theme, textColor, size)};${style}">
${above}${cells}</table>
`;
  },
  text(use, side) {
    if (use.content.mode !== 'rows') return [];
    const rows = side.rows(use.content.children, (row, inner) => ({
      op: 'row' as const,
      cells: row.cells.map((cell) => inner.inline(cell)),
      total: row.role === 'total',
    }));
    const [first] = use.content.children;
    const head = first?.kind === 'row' && first.role === 'head' ? { head: true as const } : {};
    const caption = side.argument(use, undefined);
    const table: TextOp = { op: 'table', right: flushRight(use.content.children, side), ...head, rows };
    if (caption === undefined) return [table];
    return [{ op: 'stack', body: [{ op: 'paragraph', body: [...side.parts(caption.parts), ':'] }, table] }];
  },
};
