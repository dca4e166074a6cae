import { colorClass, css, markup } from '../html/index.js';
import type { Op, TextOp, Value } from '../render/index.js';
import type { Block } from './block.js';
import { textClass, letters } from './style.js';

/** Operations for a step that lies behind, is now, or is to come; `at` counts from 1. */
function byPlace(at: Value, step: number, { before, now, after }: { readonly before: Op[]; readonly now: Op[]; readonly after: Op[] }): Op {
  const here: Value = { k: 'const', value: step };
  return {
    op: 'if',
    branches: [
      { test: { k: 'two', operator: '>', a: at, b: here }, body: before },
      { test: { k: 'two', operator: '==', a: at, b: here }, body: now },
      { test: undefined, body: after },
    ],
  };
}

export const steps: Block = {
  signature: {
    name: 'steps',
    args: [
      {
        name: 'at',
        kind: 'value',
        required: true,
        type: { absent: false, members: [{ kind: 'number', whole: true }] },
        summary: 'the step where we are, from 1',
      },
    ],
    content: 'rows',
  },
  summary:
    'Steps one after the other with where we are; the steps are written out, "- name | remark". In the text part: a list with marks.',
  example: ':::steps at={{ 2 }}\n- Booked | 4 June\n- Boarding | Pier 2\n- At sea\n:::',
  html(use, side) {
    if (use.content.mode !== 'rows') return [];
    const { theme, direction } = side;
    const at = side.value(use, 'at');
    const near = direction === 'rtl' ? 'right' : 'left';
    let step = 0;
    const rows = side.rows(use.content.children, (row, inner) => {
      step += 1;
      const { text: textColor, soft, size } = inner.background;
      const mark = (sign: string, color: 'good' | 'accent' | 'soft', word: 'done' | 'now' | 'next'): Op[] => [
        '<td role="img" aria-label="',
        side.say(word),
        `" class="${textClass(color === 'good' ? 'accent' : color)}" width="28" valign="top" style="${letters(theme, color === 'good' ? 'accent' : color, size, { 'font-weight': 'bold', padding: '6px 0' })}">${sign}</td>`,
      ];
      const name = inner.inline(row.cells[0] ?? []);
      const remark =
        row.cells[1] === undefined
          ? []
          : markup`<br><span class="${textClass(soft)}" style="${css({ color: theme.color[soft].light, 'font-size': theme.size.small, 'font-weight': 'normal' })}">${inner.inline(row.cells[1], { text: soft })}</span>`;
      const label = (weight: string): Op[] =>
        markup`<td${weight === 'bold' ? ' aria-current="step"' : ''} class="${textClass(textColor)} ${colorClass('line', 'line')}" valign="top" align="${near}" style="${letters(theme, textColor, size, { 'font-weight': weight, padding: '6px 0' })}">${name}${remark}</td>`;
      return markup`<tr>${[byPlace(at, step, { before: [...mark('&#10003;', 'good', 'done'), ...label('normal')], now: [...mark('&#9679;', 'accent', 'now'), ...label('bold')], after: [...mark('&#9675;', 'soft', 'next'), ...label('normal')] })]}</tr>
`;
    });
    return markup`<table role="presentation" class="block-steps" width="100%" cellpadding="0" cellspacing="0" border="0" style="margin:0 0 20px">
${rows}</table>
`;
  },
  text(use, side) {
    if (use.content.mode !== 'rows') return [];
    const at = side.value(use, 'at');
    let step = 0;
    const items = side.rows(use.content.children, (row, inner): TextOp => {
      step += 1;
      const remark = row.cells[1] === undefined || row.cells[1].length === 0 ? [] : [' (', ...inner.inline(row.cells[1]), ')'];
      return {
        op: 'paragraph',
        body: [byPlace(at, step, { before: ['[x] '], now: ['[>] '], after: ['[ ] '] }), ...inner.inline(row.cells[0] ?? []), ...remark],
      };
    });
    return [{ op: 'stack', body: items }];
  },
};
