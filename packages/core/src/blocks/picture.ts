import { css, markup } from '../html/index.js';
import type { Argument } from '../notation/index.js';
import type { Op } from '../render/index.js';
import type { Block } from './block.js';
import { textClass, letters } from './style.js';
import { TRACK, trackMark } from './track.js';

export const picture: Block = {
  signature: {
    name: 'picture',
    first: { name: 'source', kind: 'url', required: true, summary: 'where the picture is: an address, or a path below the base URL' },
    args: [
      { name: 'alt', kind: 'text', required: true, summary: 'the text shown in place of the picture' },
      { name: 'width', kind: 'number', summary: 'in pixels on a wide screen; the full width when left out' },
      { name: 'height', kind: 'number', summary: 'in pixels at that width, so that nothing jumps' },
      { name: 'dark', kind: 'url', summary: 'another picture for a dark background' },
      { name: 'to', kind: 'url', summary: 'where it leads' },
      TRACK,
      {
        name: 'carried',
        kind: 'choice',
        choices: ['yes', 'no'],
        summary: 'yes: a picture of the mail folder travels in the mail (no when left out)',
      },
    ],
    content: 'none',
  },
  summary: 'A picture with words for those who do not see it. In the text part: its words, and where it leads.',
  example: '::picture "https://saltmarsh-ferries.example/pier.png" alt="The pier at Brackwater in the morning" width=520 height=220',
  html(use, side) {
    const source = side.argument(use, undefined);
    if (source === undefined) return [];
    const width = Number(side.word(use, 'width', '520'));
    const height = side.word(use, 'height', '');
    const alt = side.parts(side.argument(use, 'alt')?.parts ?? []);
    const dark = side.argument(use, 'dark');
    const to = side.argument(use, 'to');
    const carried = side.word(use, 'carried', 'no') === 'yes';
    const addressOf = (argument: Argument): Op => side.address(argument, carried ? 'carried' : 'picture');
    const image = (address: Op, name: string, { hidden }: { readonly hidden: boolean }): Op[] => {
      // Letters, for the alternative text that is shown while pictures are off.
      const words = letters(side.theme, side.background.text, side.theme.size.small);
      const style = css({
        display: hidden ? 'none' : 'block',
        width: '100%',
        'max-width': width,
        height: 'auto',
        border: '0',
        ...(hidden ? { 'mso-hide': 'all' } : {}),
      });
      return markup`<img class="${`${textClass(side.background.text)} ${name}`.trimEnd()}" src="${[address]}" alt="${alt}" width="${width}"${height === '' ? '' : ` height="${height}"`} style="${style};${words}">`;
    };
    const shown = [
      ...image(addressOf(source), dark === undefined ? '' : 'vlight', { hidden: false }),
      ...(dark === undefined ? [] : image(addressOf(dark), 'vdark', { hidden: true })),
    ];
    const linked = to === undefined ? shown : markup`<a href="${[side.address(to)]}"${trackMark(use, side)}>${shown}</a>`;
    return markup`<div class="block-picture" style="margin:0 0 20px">${linked}</div>
`;
  },
  text(use, side) {
    const alt = side.parts(side.argument(use, 'alt')?.parts ?? []);
    const to = side.argument(use, 'to');
    if (to !== undefined) return [{ op: 'link', label: alt, to: side.address(to) }];
    return [{ op: 'paragraph', body: ['[', ...alt, ']'] }];
  },
};
