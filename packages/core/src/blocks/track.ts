import type { BlockArgument } from '../typing/index.js';
import type { BlockUse } from '../notation/index.js';
import type { Side } from './block.js';

/** Says of a link whether it may be followed through the service, where the topic of the email wants that (core/engagement). */
export const TRACK: BlockArgument = {
  name: 'track',
  kind: 'choice',
  choices: ['yes', 'no'],
  summary: 'no: the link leads straight to its target; yes: it is tracked with its topic, even if it looks as if it held a secret',
};

/** The mark of a link in HTML; it is not sent. */
export function trackMark(use: BlockUse, side: Side): string {
  const wish = side.word(use, 'track', '');
  return wish === '' ? '' : ` data-track="${wish}"`;
}
