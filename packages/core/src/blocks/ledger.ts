import { colorClass, css, markup } from '../html/index.js';
import type { Inline, Row, RowPart } from '../notation/index.js';
import type { Block, Side } from './block.js';
import { textClass, letters } from './style.js';

function rowsIn(nodes: readonly RowPart[]): Row[] {
  return nodes.flatMap((node) => {
    if (node.kind === 'row') return [node];
    return node.kind === 'if' ? node.branches.flatMap((branch) => rowsIn(branch.body)) : rowsIn([...node.body, ...node.otherwise]);
  });
}

/** Flush right: the last column, and each column whose cells are all numbers or amounts. */
function flushRight(nodes: readonly RowPart[], side: Side): boolean[] {
  const rows = rowsIn(nodes);
  const count = Math.max(0, ...rows.map((row) => row.cells.length));
  return Array.from({ length: count }, (_, c) => {
    const cells = rows.map((row) => row.cells[c] ?? []).filter((cell) => cell.length > 0);
    return c > 0 && (c === count - 1 || (cells.length > 0 && cells.every((cell: readonly Inline[]) => side.numeric(cell))));
  });
}

export const ledger: Block = {
  signature: { name: 'ledger', args: [], content: 'rows' },
  summary: 'Line items with amounts and totals: "- a | b | c" is a row, "= a | b | c" a total. In the text part the columns line up.',
  example: ':::ledger\n- Adult | 2 | €48.00\n- Bicycle | 1 | €6.50\n= Total | | €54.50\n:::',
  html(use, side) {
    if (use.content.mode !== 'rows') return [];
    const { theme, direction } = side;
    const right = flushRight(use.content.children, side);
    const [near, far] = direction === 'rtl' ? ['right', 'left'] : ['left', 'right'];
    const line = colorClass('line', 'line');
    const cells = side.rows(use.content.children, (row, inner) => {
      const { text: textColor, size } = inner.background;
      const border = row.total ? `border-top:2px solid ${theme.color.soft.light}` : `border-bottom:1px solid ${theme.color.line.light}`;
      const weight = row.total ? { 'font-weight': 'bold' } : {};
      const columns = right.map((flush, c) => {
        const style = letters(theme, textColor, size, {
          ...weight,
          'font-variant-numeric': 'tabular-nums',
          ...(flush ? { 'white-space': 'nowrap' } : {}),
        });
        const gap = c === 0 ? '10px 0' : direction === 'rtl' ? '10px 16px 10px 0' : '10px 0 10px 16px';
        return markup`<td class="${textClass(textColor)} ${line}" align="${flush ? far : near}" valign="top" style="${style};${css({ padding: gap, 'text-align': flush ? far : near })};${border}">${inner.inline(row.cells[c] ?? [])}</td>
`;
      });
      return markup`<tr${row.total ? ' class="total"' : ''}>
${columns.flat()}</tr>
`;
    });
    return markup`<table class="block-ledger" width="100%" cellpadding="0" cellspacing="0" border="0" style="${css({ margin: '0 0 24px', 'border-collapse': 'collapse' })}">
${cells}</table>
`;
  },
  text(use, side) {
    if (use.content.mode !== 'rows') return [];
    const rows = side.rows(use.content.children, (row, inner) => ({
      op: 'row' as const,
      cells: row.cells.map((cell) => inner.inline(cell)),
      total: row.total,
    }));
    return [{ op: 'table', right: flushRight(use.content.children, side), rows }];
  },
};
