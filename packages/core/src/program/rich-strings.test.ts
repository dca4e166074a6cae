import { describe, expect, test } from '@jest/globals';
import { md, object, testFolder } from './test-folder.js';

const SCHEMA = object({
  name: { type: 'string' },
  count: { type: 'integer' },
  terms: { type: 'string', format: 'uri' },
  slug: { type: 'string' },
});
const DATA = { name: '<Ása>\uFDD2b\uFDD3x\uFDD4', count: 2, terms: 'https://data.example/terms?a=1&b=2', slug: 'a b' };
const STRINGS = {
  agree: 'Please read <terms>our <b>terms</b></terms>, {name}.',
  seats: '{count, plural, one {<b>one</b> seat} other {<b>#</b> seats}} on <i>Sandpiper</i>',
  plain: 'Less <than> more, and <b> alone',
};

const folder = (body: string, strings: object = STRINGS) =>
  testFolder(SCHEMA, { 'strings/en.json': JSON.stringify(strings), 'templates/t/message.md': md(body) });

describe('texts of strings/ with emphasis and links', () => {
  test('are that in both parts, and values in them stay values', () => {
    const { problems, render } = folder('{{ say "agree" terms=terms name=name }}\n\n- {{ say "seats" count=count }}\n\n{{ say "plain" }}');
    expect(problems.filter(({ severity }) => severity === 'error')).toEqual([]);
    const { html, text } = render(DATA);
    expect(html).toMatch(
      /Please read <a href="https:\/\/data\.example\/terms\?a=1&amp;b=2" class="\w+" style="[^"]+">our <strong>terms<\/strong><\/a>, &lt;Ása&gt;bx\./,
    );
    expect(html).toContain('<strong>2</strong> seats on <em>Sandpiper</em>');
    expect(html).toContain('Less &lt;than&gt; more, and &lt;b&gt; alone');
    expect(text).toBe(
      'Please read our terms [1], <Ása>bx.\n\n- 2 seats on Sandpiper\n\nLess <than> more, and <b> alone\n\n[1] https://data.example/terms?a=1&b=2\n',
    );
  });

  test('its links have the colours of the dark scheme, also where it has the only link of the mail', () => {
    const { html } = folder('{{ say "agree" terms=terms name=name }}').render(DATA);
    const [, link = ''] = /<a href="[^"]*" class="(v[a-z]\d+)"/.exec(html) ?? [];
    expect(link).not.toBe('');
    expect(html).toContain(`.${link}{color:`);
  });

  test('an address that is written out is one of the folder', () => {
    expect(folder('{{ say "agree" terms="/terms" name=name }}').render(DATA).html).toContain('<a href="https://shop.example/terms"');
  });

  test.each([
    ['{{ say "agree" name=name }}', 'string-value', 'a value for "terms"'],
    ['{{ say "agree" terms=slug name=name }}', 'string-value-type', '"format": "uri"'],
    ['{{ say "agree" terms=count name=name }}', 'string-value-type', 'an address'],
    ['{{ (say "agree" terms=terms name=name) | upper }}', 'expression-rest', ''],
    ['[x](/y?z={{ say "seats" count=count }})', 'say-here', 'running text'],
    [':::notice tone=info\nx\n:::\n\n::action "{{ say "seats" count=count }}" to="/x"', 'say-here', 'on its own'],
    ['{{ true ? "a" : "b" }}\n\n::let a = say "seats" count=count\n{{ a }}', 'say-here', 'running text'],
  ])('%s is refused', (body, code, said) => {
    const found = folder(body).problems.filter(({ severity }) => severity === 'error');
    const first = found.find((problem) => problem.code === code) ?? (code === 'expression-rest' ? found[0] : undefined);
    expect(`${first?.message} ${first?.hint}`).toContain(said);
  });

  test.each([
    ['<b>open', []],
    ['<b>a</b> <i>b', ['icu']],
    ['<b>a</i></b>', ['icu']],
  ])('%j: %j', (text, codes) => {
    expect(folder('x', { s: text }).codes.filter((code) => code === 'icu')).toEqual(codes);
  });
});
