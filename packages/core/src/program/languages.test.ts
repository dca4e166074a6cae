import { describe as group, expect, test } from '@jest/globals';
import { md, object, testFolder } from './test-folder.js';

const SCHEMA = object({ n: { type: 'integer' }, d: { type: 'string', format: 'date' }, s: { type: 'string' }, b: { type: 'boolean' } });
const DATA = { n: 2, d: '2026-06-04', s: 'x', b: true };
const STRINGS = {
  'strings/en.json': '{"hello":"Hello","bye":"Bye {n, number}","it\\"s":"Quoted"}',
  'strings/de.json': '{"hello":"Hallo","bye":"Tschüs {n, number}","it\\"s":"Zitiert"}',
  'strings/fr.json': '{"hello":"Bonjour"}',
};
const SAID = md('{{ say "hello" }} {{ say "bye" n=n }}\n\n::gap', 'subject: \'{{ say "hello" }}\'');
const folder = (files: Record<string, string>, settings?: string): ReturnType<typeof testFolder> =>
  testFolder(SCHEMA, { ...STRINGS, ...files }, settings);
const warned = (files: Record<string, string>): string[] =>
  folder(files)
    .problems.filter((problem) => problem.code === 'half-translated')
    .map((problem) => problem.message);

group('an email speaks one language', () => {
  test('all said by strings: offered wherever all of them are', () => {
    expect(folder({ 'templates/t/message.md': SAID }).locales).toEqual(['en', 'de']);
  });
  const english: [name: string, files: Record<string, string>][] = [
    ['prose beside a string', { 'templates/t/message.md': md('{{ say "hello" }}, dear customer.', 'subject: \'{{ say "hello" }}\'') }],
    ['a subject in words', { 'templates/t/message.md': md('{{ say "hello" }}', 'subject: "Your booking"') }],
    ['words of a choice', { 'templates/t/message.md': md('{{ say "hello" }} {{ n > 1 ? "many" : s }}', 'subject: \'{{ say "hello" }}\'') }],
    [
      'a default in words',
      { 'templates/t/message.md': md('{{ say "hello" }} {{ s | default "friend" }}', 'subject: \'{{ say "hello" }}\'') },
    ],
    [
      'the label of a button',
      { 'templates/t/message.md': md('{{ say "hello" }}\n\n::action "Open it" to="/x"', 'subject: \'{{ say "hello" }}\'') },
    ],
    ['an alt text', { 'templates/t/message.md': md('{{ say "hello" }} ![A boat](/x.png)', 'subject: \'{{ say "hello" }}\'') }],
    [
      'a label of facts',
      { 'templates/t/message.md': md('{{ say "hello" }}\n\n:::facts\n- Number: {{ n }}\n:::', 'subject: \'{{ say "hello" }}\'') },
    ],
    [
      'prose of the layout',
      {
        'templates/t/message.md': md('{{ say "hello" }}', 'subject: \'{{ say "hello" }}\'\nlayout: l'),
        'layouts/l.md': '::body\n\nKind regards',
      },
    ],
    [
      'prose of a block',
      { 'templates/t/message.md': md('{{ say "hello" }}\n\n::b', 'subject: \'{{ say "hello" }}\''), 'blocks/b.md': 'Kind regards' },
    ],
    [
      'prose of a block’s block',
      {
        'templates/t/message.md': md('{{ say "hello" }}\n\n::b', 'subject: \'{{ say "hello" }}\''),
        'blocks/b.md': '::c',
        'blocks/c.md': 'Kind regards',
      },
    ],
    [
      'prose of HTML',
      {
        'templates/t/message.html': md(
          '<body><p title="x">{{ say "hello" }}</p>\n<p>Kind\nregards</p></body>',
          'subject: \'{{ say "hello" }}\'',
        ),
      },
    ],
    ['a text part by hand', { 'templates/t/message.md': SAID, 'templates/t/message.txt': 'Kind regards {{ n }}' }],
  ];
  test.each(english)('%s: not offered, and told', (_name, files) => {
    expect(folder(files).locales).toEqual(['en']);
    expect(warned(files).join()).toContain('not offered in de');
  });
  const neutral: [name: string, files: Record<string, string>][] = [
    ['the name of the folder', { 'templates/t/message.md': md('{{ say "hello" }} **Saltmarsh**', 'subject: \'{{ say "hello" }}\'') }],
    [
      'a postal address',
      { 'templates/t/message.md': md('{{ say "hello" }}\n\n:::postal\nPier One\n:::', 'subject: \'{{ say "hello" }}\'') },
    ],
    [
      'code, numbers, signs and addresses',
      {
        'templates/t/message.md': md(
          '{{ say "hello" }} `SM-AB` 12 – [{{ say "hello" }}](/help/me) {{ d | date "long" }} {{ if s == "word" }}·{{ end }}',
          'subject: \'{{ say "hello" }}\'',
        ),
      },
    ],
    [
      'markup without words',
      {
        'templates/t/message.html': md(
          '<!DOCTYPE html><style>p { color: red }</style><body>\n<!-- a note -->\n<p class="x"\ntitle="">{{ say "hello" }}&nbsp;</p></body>',
          'subject: \'{{ say "hello" }}\'',
        ),
      },
    ],
  ];
  test.each(neutral)('%s: in every language the same', (_name, files) => {
    expect(folder(files, 'name: Saltmarsh\nbaseUrl: https://x.example/\n'.replace('name: Saltmarsh\n', '')).locales.slice(0, 1)).toEqual([
      'en',
    ]);
    const named = Object.fromEntries(Object.entries(files).map(([path, text]) => [path, text.replace('**Saltmarsh**', '**T**')]));
    expect(folder(named).locales).toEqual(['en', 'de', 'fr']);
  });
  test('a whole translation needs what its layout says', () => {
    const files = {
      'templates/t/message.md': md('Hello'),
      'templates/t/message.fr.md': md('Bonjour'),
      'layouts/l.md': '::body\n\n{{ say "bye" n=1 }}',
    };
    const settings = 'baseUrl: https://x.example/\nlayout: l\n';
    expect(folder(files, settings).locales).toEqual(['en']);
    expect(folder(files, settings).problems.find((problem) => problem.code === 'half-translated')?.message).toBe(
      'This is not offered in fr: the string "bye" has no text in fr.',
    );
    expect(folder({ ...files, 'strings/fr.json': '{"hello":"Bonjour","bye":"Au revoir {n, number}"}' }, settings).locales).toEqual([
      'en',
      'fr',
    ]);
  });
  test('a key with a quote in it is translated too', () => {
    const { locales, render } = folder({ 'templates/t/message.md': md("{{ say 'it\"s' }}", "subject: '{{ n }}'") });
    expect(locales).toEqual(['en', 'de']);
    expect(render(DATA, 'de').text).toBe('Zitiert\n');
  });
});

group('what a string takes', () => {
  const say = (text: string, args: string): string[] =>
    folder({ 'strings/en.json': JSON.stringify({ k: text }), 'templates/t/message.md': md(`{{ say "k" ${args} }}`) })
      .problems.filter((problem) => problem.severity === 'error' && problem.place.file.startsWith('templates/'))
      .map((problem) => problem.code);
  test.each([
    ['{n, plural, one {#} other {#}}', 'n=s', ['string-value-type']],
    ['{n, plural, one {#} other {#}}', 'n=n', []],
    ['{n, number}', 'n=b', ['string-value-type']],
    ['{n, date, long}', 'n=s', ['string-value-type']],
    ['{n, date, long}', 'n=d', []],
    ['{n}', 'n=b', ['string-value-type']],
    ['{n}', 'n=n', []],
    ['{n, select, true {y} other {z}}', 'n=b', []],
    ['{n, select, x {y} other {z}}', 'n=s', []],
  ])('%s given %s', (text, args, codes) => {
    expect(say(text, args)).toEqual(codes);
  });
  test('a calendar date stays the day it is, west of Greenwich too', () => {
    const { render } = testFolder(
      SCHEMA,
      {
        'strings/en.json': '{"k":"On {d, date, long} at {t, time, short}"}',
        'templates/t/message.md': md('{{ say "k" d=d t=t }}').replace('t=t', 't=d'),
      },
      'timeZone: America/New_York\n',
    );
    expect(render(DATA).text.replace(/[\u00A0\u202F]/g, ' ')).toContain('On June 4, 2026');
  });
  test('a value that only a translation uses is reported in the translation, not in the template', () => {
    const { problems } = folder({ 'strings/fr.json': '{"hello":"Bonjour {nom}"}', 'templates/t/message.md': md('{{ say "hello" }}') });
    expect(problems.filter((problem) => problem.severity === 'error').map(({ code, place }) => [code, place.file])).toEqual([
      ['string-value', 'strings/fr.json'],
    ]);
  });
  test.each([
    ['pl', '{n, plural, one {#} other {#}}', '"few", "many"'],
    ['ar', '{n, plural, one {#} other {#}}', '"two", "few", "many"'],
    ['fr', '{n, plural, one {#} other {#}}', undefined],
    ['ja', '{n, plural, other {#}}', undefined],
    ['sl', '{n, plural, one {#} =2 {#} few {#} other {#}}', '"two"'],
    ['he', '{n, plural, one {#} =2 {#} other {#}}', undefined],
  ])('%s: %s lacks %s', (locale, text, forms) => {
    const { problems } = folder({
      [`strings/${locale}.json`]: JSON.stringify({ hello: 'x', bye: text }),
      'templates/t/message.md': md('x'),
    });
    const found = problems.find((problem) => problem.code === 'plural-forms' && problem.place.file === `strings/${locale}.json`)?.message;
    if (forms === undefined) expect(found).toBeUndefined();
    else expect(found).toContain(`no form for ${forms}`);
  });
  test('keys that stand twice, and texts that can never be formatted', () => {
    const { problems } = folder({
      'strings/en.json': '{"a":"x",\n"a":"y",\n"b":"{n, number, ::currency/nonsense}"}',
      'templates/t/message.md': md('x'),
    });
    expect(problems.filter((problem) => problem.place.file === 'strings/en.json').map(({ code, place }) => [code, place.line])).toEqual(
      expect.arrayContaining([
        ['string-twice', 2],
        ['icu', 3],
      ]),
    );
  });
});

group('files and settings', () => {
  const source = { 'templates/t/message.md': md('x') };
  test.each([
    ['templates/t/message_de.md', 'Did you mean "message.de.md"?'],
    ['templates/t/message-pt_BR.md', 'Did you mean "message.pt-BR.md"?'],
    ['templates/t/mesage.md', 'Did you mean "message.md"?'],
    ['templates/note.md', 'Each template has its own folder'],
    ['layout/x.md', 'Did you mean "layouts"?'],
    ['layouts/x.html', 'layouts/NAME.md'],
    ['styles/x.scss', 'styles/NAME.css'],
  ])('%s is read by nothing: %s', (path, hint) => {
    expect(folder({ ...source, [path]: 'x' }).problems.find((problem) => problem.code === 'stray-file')?.hint).toContain(hint);
  });
  test.each(['README.md', 'templates/README.md', '.gitkeep', 'templates/t/.note', 'LICENSE', 'assets/a.png'])(
    '%s is nobody’s business',
    (path) => {
      expect(folder({ ...source, [path]: 'x' }).codes).not.toContain('stray-file');
    },
  );
  test('a text part without its message', () => {
    expect(folder({ ...source, 'templates/t/message.fr.txt': 'x' }).codes).toContain('text-alone');
  });
  test('a mistake in mail.yaml is reported without errors that follow from it', () => {
    const { codes, problems } = folder({ 'templates/t/message.md': md('[x](/y)') }, 'locale: nonsense!\n');
    expect(codes).toEqual(['setting']);
    expect(problems[0]?.place).toMatchObject({ file: 'mail.yaml', line: 2 });
  });
  test('a sender in parts', () => {
    expect(folder(source, 'sender: { name: "Holt, Maren", address: holt@x.example }\n').project.settings.sender).toBe(
      '"Holt, Maren" <holt@x.example>',
    );
    expect(folder(source, 'sender: { address: holt@x.example }\n').project.settings.sender).toBe('holt@x.example');
    expect(folder(source, 'sender: 4\n').problems[0]?.hint).toContain('sender: { name: …, address: … }');
  });
  test.each([
    ['subject: Booking: {{ n }}', 'Put the text in quotes: subject: "Booking: {{ n }}"'],
    ['subject: {{ n }}', 'in quotes'],
  ])('%s', (front, hint) => {
    const { problems, codes } = folder({ 'templates/t/message.md': md('x', front) });
    expect(problems.map((problem) => problem.hint ?? '').join('\n')).toContain(hint);
    if (codes.includes('yaml')) expect(codes).not.toContain('no-subject');
  });
  test.each([
    [{ 'layouts/l.md': '---\ntopic: x\n---\n::body' }, 'front-here'],
    [{ 'layouts/l.md': ':::each x in xs\n::body\n:::' }, 'layout-body'],
    [{ 'layouts/l.md': ':::if n\n::body\n:::' }, 'layout-body'],
    [{ 'layouts/l.md': '> ::body' }, 'layout-body'],
    [
      { 'templates/t/message.md': '', 'templates/t/message.html': md('x', 'subject: "S"\nlayout: l'), 'layouts/l.md': '::body' },
      'front-here',
    ],
    [{ 'templates/t/message.md': md('x', 'subject: "S"\ninputs:\n  a: { type: string }') }, 'front-here'],
    [{ 'templates/t/message.md': md(':::steps at=1\n:::each x in xs\n- x\n:::\n:::') }, 'steps-form'],
  ])('%j: %s', (files, code) => {
    const all = { ...source, ...files };
    const kept = Object.fromEntries(Object.entries(all).filter(([, text]) => text !== ''));
    expect(folder(kept as Record<string, string>).codes).toContain(code);
  });
});
