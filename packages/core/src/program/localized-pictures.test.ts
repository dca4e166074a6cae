import { describe, expect, test } from '@jest/globals';
import { md, object, testFolder } from './test-folder.js';

const TEXTS = {
  'strings/en.json': '{"hello":"Hello"}',
  'strings/fr.json': '{"hello":"Bonjour"}',
  'strings/fr-CA.json': '{"hello":"Allo"}',
  'strings/de.json': '{"hello":"Hallo"}',
  'assets/pier.png': 'english',
  'assets/pier.fr.png': 'french',
  'assets/plain.png': 'plain',
};
const BODY =
  '{{ say "hello" }}\n\n::picture "assets/pier.png" alt={{ say "hello" }} width=10\n\n::picture "cid:assets/pier.png" alt={{ say "hello" }} width=10\n\n::picture "assets/plain.png" alt={{ say "hello" }} width=10';

const pictures = (
  settings: string,
  locale: string,
): { readonly addresses: (string | undefined)[]; readonly carried: readonly string[] } => {
  const folder = testFolder(
    object({}),
    { ...TEXTS, 'templates/t/message.md': md(BODY, 'subject: "{{ say \\"hello\\" }}"\npreview: "{{ say \\"hello\\" }}"') },
    settings,
  );
  const { html } = folder.render({}, locale);
  const carried = folder.compiled.templates.get('t')?.programs.get(locale)?.carried ?? [];
  return { addresses: [...html.matchAll(/ src="([^"]*)"/g)].map(([, address]) => address), carried: carried.map(({ path }) => path) };
};

describe('a picture that the folder has in the language of the mail', () => {
  test.each([
    ['en', 'assets/pier.png'],
    ['fr', 'assets/pier.fr.png'],
    ['fr-CA', 'assets/pier.fr.png'],
    ['de', 'assets/pier.png'],
  ])('in %s it is %s', (locale, path) => {
    const { addresses, carried } = pictures('baseUrl: https://a.example/\n', locale);
    expect(addresses[0]).toBe(`https://a.example/${path}`);
    expect(addresses[2]).toBe('https://a.example/assets/plain.png');
    expect(carried).toEqual([path]);
  });

  test('has its own hash where pictures are served under it', () => {
    const settings = 'baseUrl: https://a.example/\nassetUrl: https://cdn.example/assets\n';
    const [en, fr] = [pictures(settings, 'en').addresses, pictures(settings, 'fr').addresses];
    expect(fr[0]).toMatch(/^https:\/\/cdn\.example\/assets\/[0-9a-f]{20}\/pier\.fr\.png$/);
    expect(fr[0]).not.toBe(en[0]);
    expect(fr[2]).toBe(en[2]);
  });
});

test('the picture without a language has to be there', () => {
  const { codes } = testFolder(object({}), {
    'assets/only.fr.png': 'x',
    'templates/t/message.md': md('::picture "assets/only.png" alt="x" width=10'),
  });
  expect(codes).toContain('asset-missing');
});
