// docs/conformance.md, made of the tests that ran: node scripts/conformance.mjs [--check]
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { format } from 'oxfmt';
import { root } from './steps.mjs';

const RESULTS = join(root, 'node_modules/.cache/verbalis-jest.json');
const PAGE = join(root, 'docs/conformance.md');
const TITLE = /^(?<rfc>RFC (?<number>\d+)(?: (?<section>[\d.]+))?): (?<what>.*?)(?: \[(?<against>[^\]]*)\])?$/;

const { testResults } = JSON.parse(readFileSync(RESULTS, 'utf8'));
const rows = testResults
  .flatMap(({ assertionResults }) => assertionResults)
  .flatMap(({ title, status }) => {
    const found = TITLE.exec(title)?.groups;
    return found === undefined ? [] : [{ ...found, status }];
  });
const order = ({ number, section = '', what }) =>
  [number, ...section.split('.'), '0', '0', '0']
    .slice(0, 5)
    .map((part) => part.padStart(6, '0'))
    .join('.') + what;
rows.sort((a, b) => (order(a) < order(b) ? -1 : 1));
const cell = (text) => text.replaceAll('|', '\\|');
const table = rows.map(({ rfc, what, against, status }) => `| ${rfc} | ${cell(what)} | ${against ?? 'bytes alone'} | ${status} |`);
const wanted = `# Conformance

What the tests show, clause by clause, and against which independent programs. This page is made of the tests that ran last (\`node scripts/conformance.mjs\`); a test that fails or cannot run is no row that passes.

| Clause | What is shown | Against | Result |
| --- | --- | --- | --- |
${table.join('\n')}

What is not offered is refused: \`BODY=BINARYMIME\`, \`CHUNKING\`, and reports asked for with \`NOTIFY\`, \`RET\`, \`ENVID\`, \`ORCPT\` (555, RFC 5321 4.1.1.11). The Received field names the app by its own word and leaves out its address (RFC 5321 7.6).
`;
const { code: made } = await format(PAGE, wanted);
if (!process.argv.includes('--check')) writeFileSync(PAGE, made);
else if (!existsSync(PAGE) || readFileSync(PAGE, 'utf8') !== made) {
  console.error('docs/conformance.md is not what the tests show. Make it again: node scripts/conformance.mjs');
  process.exit(1);
}
