import { colorClass, css, markup } from '../html/index.js';
import type { Block } from './block.js';
import { breaking, textClass, letters } from './style.js';

export const facts: Block = {
  signature: { name: 'facts', args: [], content: 'facts' },
  summary: 'Labels and their values. In the text part the values are aligned in one column.',
  example: ':::facts\n- Reference: SM-1042\n- Vessel: MV Sandpiper\n:::',
  html(use, side) {
    if (use.content.mode !== 'facts') return [];
    const { theme, direction } = side;
    const line = `border-bottom:1px solid ${theme.color.line.light}`;
    const end = direction === 'rtl' ? 'padding:8px 0 8px 16px' : 'padding:8px 16px 8px 0';
    const cells = side.facts(use.content.children, (fact, inner) => {
      const { soft, text: textColor, size } = inner.background;
      return markup`<tr>
<th scope="row" class="${textClass(soft)} ${colorClass('line', 'line')}" align="${direction === 'rtl' ? 'right' : 'left'}" valign="top" width="36%" style="${letters(theme, soft, size, { 'font-weight': 'normal', hyphens: 'auto', 'overflow-wrap': breaking(fact.label) })};${end};${line}">${inner.inline(fact.label, { text: soft })}</th>
<td class="${textClass(textColor)} ${colorClass('line', 'line')}" valign="top" style="${letters(theme, textColor, size)};padding:8px 0;${line}">${inner.inline(fact.value)}</td>
</tr>
`;
    });
    return markup`<table class="block-facts" width="100%" cellpadding="0" cellspacing="0" border="0" style="${css({ margin: '0 0 24px', 'border-collapse': 'collapse' })}">
${cells}</table>
`;
  },
  text(use, side) {
    if (use.content.mode !== 'facts') return [];
    const rows = side.facts(use.content.children, (fact, inner) => ({
      op: 'row' as const,
      cells: [inner.inline(fact.label), inner.inline(fact.value)],
      total: false,
    }));
    return [{ op: 'pairs', rows }];
  },
};
