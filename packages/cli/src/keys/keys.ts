import type { Client, NewKey } from '@verbalis/client';
import type { ExitCode, Output } from '../output.js';

export async function addKey(client: Client, name: string, options: { scopes: string; json?: boolean }, output: Output): Promise<ExitCode> {
  const scopes = options.scopes.split(',').map((text) => text.trim()) as NewKey['scopes'];
  const made = await client.keys.add({ name, scopes });
  if (options.json === true) output.out(JSON.stringify(made, null, 2));
  else {
    output.out(made.key);
    output.note('This key is shown once and kept as a hash only. Put it in the app’s secrets.');
  }
  return 0;
}
