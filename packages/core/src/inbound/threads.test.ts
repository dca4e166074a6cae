import { splitHtml, splitText } from './index.js';
import { THREADS, type Thread } from './test-threads.js';

function split({ text, html }: Thread) {
  if (text !== undefined) return splitText(text);
  const found = splitHtml(html ?? '');
  if (found === undefined) throw new Error('It could not be read.');
  return found;
}

test('the corpus has 200 threads in 8 languages, as text and as HTML', () => {
  expect(THREADS.length).toBeGreaterThanOrEqual(200);
  expect(new Set(THREADS.map(({ language }) => language)).size).toBe(8);
  expect(THREADS.filter(({ html }) => html !== undefined).length).toBeGreaterThan(80);
});

test.each(THREADS.map((thread) => [`${thread.language}: ${thread.name}`, thread] as const))('%s', (_name, thread) => {
  const { text, signature, quoted } = split(thread);
  expect({ text, signature }).toEqual({ text: thread.expected.text, signature: thread.expected.signature });
  expect(quoted.replace(/\n(?:> ?)*/g, ' ')).toContain(thread.expected.quoted);
});

test('nothing of a text is lost', () => {
  for (const thread of THREADS) {
    if (thread.text === undefined) continue;
    const { text, quoted, signature } = splitText(thread.text);
    const words = (all: string): string[] =>
      all
        .split(/[\s>-]+/)
        .filter((word) => word !== '')
        .sort();
    expect(words(`${text} ${quoted} ${signature}`)).toEqual(words(thread.text));
  }
});
