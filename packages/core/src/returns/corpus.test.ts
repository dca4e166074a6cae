import { readFileSync } from 'node:fs';
import { readReturn } from './index.js';
import { corpus, type CorpusEmail } from './test-corpus.js';

const emails = corpus();

interface Judged extends CorpusEmail {
  readonly foundKind: string;
  readonly foundCause: string | undefined;
}

const judged: readonly Judged[] = emails.map((email) => {
  const { kind, recipients } = readReturn(email.bytes);
  return { ...email, foundKind: kind, foundCause: kind === 'delivery-status' ? recipients[0]?.cause : undefined };
});
const bounces = (aside: boolean): Judged[] => judged.filter(({ isAside, kind }) => kind === 'delivery-status' && isAside === aside);
const wrong = (all: readonly Judged[]): string[] =>
  all.flatMap(({ name, cause, foundKind, foundCause }) => (foundCause === cause ? [] : [`${name}: ${foundCause ?? foundKind}`]));

test('1,500 emails and more, in 14 languages', () => {
  expect(emails.length).toBeGreaterThanOrEqual(1500);
  expect(new Set(emails.map(({ language }) => language)).size).toBe(14);
});

test('causes of those that were looked at while the tables were written', () => {
  expect(wrong(bounces(false))).toEqual([]);
});

test('at least 97 % of the causes of those that were kept aside are right', () => {
  const all = bounces(true);
  expect(all.length).toBeGreaterThan(150);
  expect(wrong(all).length / all.length).toBeLessThanOrEqual(0.03);
});

test('automatic answers are automatic answers, and nobody’s mail and no receipt is a bounce', () => {
  const others = judged.filter(({ kind }) => kind !== 'delivery-status');
  expect(others.flatMap(({ name, kind, foundKind }) => (kind === foundKind ? [] : [`${name}: ${foundKind}`]))).toEqual([]);
});

/** What was meant against what was found, as the documentation shows it. */
function matrix(): string {
  const rows = [...new Set(judged.map(({ cause, kind }) => cause ?? kind))];
  const found = judged.map((email) => ({
    meant: email.cause ?? email.kind,
    found: email.foundCause ?? email.foundKind,
    isAside: email.isAside,
  }));
  const lines = rows.map((row) => {
    const own = found.filter(({ meant }) => meant === row);
    const right = own.filter((email) => email.found === row).length;
    const others = [...new Set(own.filter((email) => email.found !== row).map((email) => email.found))];
    const aside = own.filter(({ isAside }) => isAside);
    return `| ${row} | ${own.length} | ${right} | ${others.map((name) => `${name} ${own.filter((email) => email.found === name).length}`).join(', ')} | ${aside.filter((email) => email.found === row).length} of ${aside.length} |`;
  });
  return lines.join('\n');
}

test('the documentation shows what is found today', () => {
  const plain = (text: string): string => text.replace(/ {2,}/g, ' ').replace(/-{2,}/g, '--');
  expect(plain(readFileSync(new URL('../../../../docs/returns.md', import.meta.url), 'utf8'))).toContain(plain(matrix()));
});
