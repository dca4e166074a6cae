import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

/** The version, as the package has it. */
export function versionOf(): string {
  const file = fileURLToPath(new URL('../../package.json', import.meta.url));
  return (JSON.parse(readFileSync(file, 'utf8')) as { readonly version: string }).version;
}
