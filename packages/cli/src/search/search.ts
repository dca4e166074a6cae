import type { Client } from '@verbalis/client';
import { tableText, type ExitCode, type Output } from '../output.js';
import { clockTime, stateWord } from '../words.js';

/** Everything of a space that fits a text; exits with 1 where nothing does. */
export async function search(
  client: Client,
  text: string,
  { json = false }: { readonly json?: boolean },
  output: Output,
): Promise<ExitCode> {
  const { hits, subjectsOf } = await client.search.find({ q: text });
  if (json) output.json({ hits, subjectsOf });
  else if (hits.length === 0)
    output.note(`Nothing fits. Words of a subject, domains and codes are looked for in the newest ${subjectsOf} messages.`);
  else {
    const rows = hits.map(({ kind, address, title, state, at, id }) => [
      kind,
      address ?? '',
      title,
      state === undefined ? '' : stateWord(state, output.color),
      at === undefined ? '' : clockTime(at),
      id,
    ]);
    const titles = ['what', 'who', 'subject', 'state', 'when', 'id'].map((title) => ({ title }));
    output.out(tableText(titles, rows, output.color));
  }
  return hits.length === 0 ? 1 : 0;
}
