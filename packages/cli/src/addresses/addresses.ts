import type { Client } from '@verbalis/client';
import { writeOut } from '../out-file.js';
import { UsageError, type ExitCode, type Output } from '../output.js';

export async function exportAddress(
  client: Client,
  address: string,
  { out }: { readonly out?: string },
  output: Output,
): Promise<ExitCode> {
  const found = await client.addresses.export(address);
  const text = JSON.stringify(found, null, 2);
  if (out === undefined) output.out(text);
  else {
    writeOut(out, `${text}\n`, 0o600);
    output.out(
      `Written to ${out}: ${found.messages.length} messages, ${found.returns.length} returns, ${found.captured.length} captured emails.`,
    );
  }
  return 0;
}

const counted = (n: number, singular: string, plural: string): string => `${n} ${n === 1 ? singular : plural}`;

/** Exits with 1 when some messages could not be erased yet because they are still being sent to others. */
export async function eraseAddress(
  client: Client,
  address: string,
  { yes = false, json = false }: { readonly yes?: boolean; readonly json?: boolean },
  output: Output,
): Promise<ExitCode> {
  if (!yes)
    throw new UsageError(
      `Nothing was removed. This removes everything that is known about ${address}, permanently.`,
      'Repeat it with --yes.',
    );
  const done = await client.addresses.erase(address);
  const { messages, others, captured, suppressions, elsewhere, waiting } = done;
  if (json) output.json(done);
  else {
    output.out(
      [
        `Erased: ${done.address}`,
        `  ${counted(messages, 'message', 'messages')} removed, ${counted(others, 'message', 'messages')} to others without their data`,
        `  ${counted(captured, 'captured email', 'captured emails')} removed, ${counted(elsewhere, 'other record', 'other records')} changed or removed`,
        `  ${counted(suppressions, 'suppression stays', 'suppressions stay')} in force under a keyed hash`,
        'Backups have it until they are removed.',
      ].join('\n'),
    );
    if (waiting.length > 0) output.note(`Still being sent to others: ${waiting.join(', ')}. Erase again when they have ended.`);
  }
  return waiting.length > 0 ? 1 : 0;
}
