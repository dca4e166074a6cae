// Writes the OpenAPI document from the service's schemas, and the client's types from the document.
// With --check: fails when what is committed is not what the schemas say.
import { readFileSync, writeFileSync } from 'node:fs';
import openapiTS, { astToString } from 'openapi-typescript';
import { format, resolveConfig } from 'prettier';

const { openApiDocument } = await import('../packages/service/dist/http/openapi.js');
const document = openApiDocument();
const files = {
  'packages/client/openapi.json': `${JSON.stringify(document, null, 2)}\n`,
  'packages/client/src/api.ts': `// Made from openapi.json by "npm run openapi". Do not edit.\n\n${astToString(await openapiTS(structuredClone(document)))}`,
};
let stale = 0;
for (const [file, raw] of Object.entries(files)) {
  const text = await format(raw, { ...(await resolveConfig(file)), filepath: file });
  if (!process.argv.includes('--check')) writeFileSync(file, text);
  else if (readFileSync(file, 'utf8') !== text) {
    console.error(`${file} is not what the schemas say. Run: npm run openapi`);
    stale += 1;
  }
}
process.exitCode = stale > 0 ? 1 : 0;
