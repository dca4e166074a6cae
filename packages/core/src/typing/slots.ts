import type { BlockUse } from '../notation/index.js';
import { didYouMean, problem, type Problem } from '../problems/index.js';
import type { BlockSignature } from './signature.js';

/** What is wrong with the slots that a block's use fills: they are directly inside of it, and it has a place for each. */
export function slotFaults(use: BlockUse, signature: BlockSignature | undefined): Problem[] {
  if (use.content.mode !== 'flow') return [];
  const slots = signature?.slots;
  const seen = new Set<string>();
  return use.content.children.flatMap((child): Problem[] => {
    if (child.kind !== 'block' || child.name !== 'slot') return [];
    const [part] = child.args[0]?.parts ?? [];
    const name = typeof part === 'string' ? part : '';
    if (slots === undefined)
      return [
        problem(
          'slot-here',
          child.namePlace,
          `The block "${use.name}" has no places for content with a name.`,
          'A block of your own has them: "::content aside".',
        ),
      ];
    if (!slots.includes(name))
      return [
        problem(
          'unknown-slot',
          child.namePlace,
          `The block "${use.name}" has no place for the content "${name}".`,
          didYouMean(name, slots),
        ),
      ];
    const isTwice = seen.has(name);
    seen.add(name);
    return isTwice ? [problem('slot-twice', child.namePlace, `The content "${name}" is given twice.`)] : [];
  });
}
