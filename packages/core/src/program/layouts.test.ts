import { describe, expect, test } from '@jest/globals';
import { md, object, testFolder } from './test-folder.js';

const SCHEMA = object(
  { name: { type: 'string' }, line: { type: 'string' }, late: { type: 'boolean' }, fee: { type: 'integer' } },
  { required: ['name', 'line', 'late'] },
);
const DATA = { name: 'Ada', line: 'of the data', late: true };

/** The text part of a template within layouts; the problems where it has any. */
function text(files: Readonly<Record<string, string>>, data: unknown = DATA): string {
  const folder = testFolder(SCHEMA, files);
  const errors = folder.problems.filter(({ severity }) => severity === 'error');
  if (errors.length > 0) return errors.map(({ code, message, place }) => `${code} ${place.file}:${place.line} ${message}`).join('\n');
  return folder.render(data).text.trim();
}

describe('a layout takes values from the front matter', () => {
  const layout = (inputs: string, body = '{{ hero }}\n\n::body\n'): string => `---\ninputs:\n${inputs}\n---\n${body}`;
  const inFrame = (front: string, frame: string): string =>
    text({ 'layouts/frame.md': frame, 'templates/t/message.md': md('Body of {{ name }}', `subject: S\nlayout: frame\n${front}`) });

  test.each([
    ['a text with values', 'hero: "For {{ name }}"', '  hero: { type: string }', 'For Ada\n\nBody of Ada'],
    ['a text that is written out', 'hero: Welcome', '  hero: { type: string }', 'Welcome\n\nBody of Ada'],
    ['its default', '', '  hero: { type: string, default: Usual }', 'Usual\n\nBody of Ada'],
    ['its default, where the value is absent', 'hero: "{{ fee }}"', '  hero: { type: integer, default: 7 }', '7\n\nBody of Ada'],
    ['a number', 'hero: 12', '  hero: { type: integer }', '12\n\nBody of Ada'],
  ])('%s', (_what, front, inputs, wanted) => {
    expect(inFrame(front, layout(inputs))).toBe(wanted);
  });

  test('truth values steer it', () => {
    const frame = layout('  wide: { type: boolean, default: false }', ':::if wide\nWide\n:::\n\n::body\n');
    expect(inFrame('wide: true', frame)).toBe('Wide\n\nBody of Ada');
    expect(inFrame('', frame)).toBe('Body of Ada');
    expect(inFrame('wide: "{{ late }}"', frame)).toBe('Wide\n\nBody of Ada');
  });

  test('its names are its own: the body keeps those of the data, and the layout sees the data too', () => {
    expect(
      text({
        'layouts/frame.md': layout('  line: { type: string }', '{{ line }} {{ name }}\n\n::body\n'),
        'templates/t/message.md': md('{{ line }}', 'subject: S\nlayout: frame\nline: of the layout'),
      }),
    ).toBe('of the layout Ada\n\nof the data');
  });

  test.each([
    [
      'what it does not have',
      'hro: x',
      '  hero: { type: string }',
      'front-key templates/t/message.md:4 The front matter has no key "hro".',
    ],
    [
      'nothing for what it needs',
      '',
      '  hero: { type: string }',
      'missing-argument templates/t/message.md:3 The layout "frame" needs "hero".',
    ],
    [
      'another type',
      'hero: "{{ late }}"',
      '  hero: { type: string }',
      'input-type templates/t/message.md:4 "hero" of "frame" takes a text; this is true or false.',
    ],
    [
      'what may be absent',
      'hero: "{{ fee }}"',
      '  hero: { type: integer }',
      'maybe-absent templates/t/message.md:4 "hero" of "frame" needs a value, and this one may be absent.',
    ],
    ['a record', 'hero: { a: b }', '  hero: { type: string }', 'front-value'],
  ])('is not given %s', (_what, front, inputs, wanted) => {
    expect(inFrame(front, layout(inputs))).toContain(wanted);
  });

  test('only a layout has such keys', () => {
    const folder = testFolder(SCHEMA, { 'templates/t/message.html': '---\nsubject: S\nhero: x\n---\n<p>x</p>' });
    expect(folder.codes).toContain('front-key');
  });

  test('a language is offered only if these words are in it', () => {
    const folder = testFolder(SCHEMA, {
      'layouts/frame.md': layout('  hero: { type: string }'),
      'templates/t/message.md': md('{{ say "hello" }}', 'subject: "{{ say \\"hello\\" }}"\nlayout: frame\nhero: Words of one language'),
      'strings/en.json': '{"hello":"Hello"}',
      'strings/de.json': '{"hello":"Hallo"}',
    });
    expect(folder.locales).toEqual(['en']);
    expect(folder.codes).toContain('half-translated');
  });
});

describe('a layout is within a layout', () => {
  const OUTER =
    '---\ninputs:\n  heading: { type: string, default: Usual }\n  foot: { type: string, default: Foot }\n---\nOuter {{ heading }}\n\n::body\n\n{{ foot }}\n';
  const MIDDLE =
    '---\nlayout: outer\nheading: "from the middle, {{ hero }}"\ninputs:\n  hero: { type: string, default: h }\n---\n:::card\nMiddle\n\n::body\n:::\n';
  const files = { 'layouts/outer.md': OUTER, 'layouts/middle.md': MIDDLE };

  test('each holds the next, and gives what the outer one takes; the template goes before', () => {
    expect(text({ ...files, 'templates/t/message.md': md('Body', 'subject: S\nlayout: middle\nhero: "{{ name }}"') })).toBe(
      'Outer from the middle, Ada\n\nMiddle\n\nBody\n\nFoot',
    );
    expect(text({ ...files, 'templates/t/message.md': md('Body', 'subject: S\nlayout: middle\nheading: mine\nfoot: End') })).toBe(
      'Outer mine\n\nMiddle\n\nBody\n\nEnd',
    );
    expect(text({ ...files, 'templates/t/message.md': md('Body', 'subject: S\nlayout: outer') })).toBe('Outer Usual\n\nBody\n\nFoot');
  });

  test('HTML and blocks of one’s own are nested the same way', () => {
    const folder = testFolder(SCHEMA, {
      ...files,
      'blocks/box.md': '(\n\n::content\n\n)',
      'layouts/middle.md': '---\nlayout: outer\n---\n:::box\n::body\n:::\n',
      'templates/t/message.md': md(':::box\n{{ name }}\n:::', 'subject: S\nlayout: middle'),
    });
    const { html, text: plain } = folder.render(DATA);
    expect(plain.trim().replaceAll(/\s+/g, ' ')).toBe('Outer Usual ( ( Ada ) ) Foot');
    expect(html.replaceAll(/<style[^]*?<\/style>|<[^>]*>/g, ' ').replaceAll(/\s+/g, ' ')).toContain('Outer Usual ( ( Ada ) ) Foot');
  });

  test.each([
    [
      { 'layouts/a.md': '---\nlayout: b\n---\n::body', 'layouts/b.md': '---\nlayout: a\n---\n::body' },
      'layout-circle layouts/a.md:2 The layout "a" ends up in itself: a → b → a.',
    ],
    [{ 'layouts/a.md': '---\nlayout: a\n---\n::body' }, 'layout-circle layouts/a.md:2 The layout "a" ends up in itself: a → a.'],
    [
      { 'layouts/a.md': '---\nlayout: none-such\n---\n::body' },
      'unknown-layout layouts/a.md:2 There is no layout "none-such" in layouts/.',
    ],
    [
      { 'layouts/a.md': '---\ninputs: { title: { type: string } }\n---\n::body' },
      'inputs layouts/a.md:1 "title" is a key of every front matter',
    ],
    [{ 'layouts/a.md': '---\nlayout: outer\nheadign: x\n---\n::body' }, 'front-key layouts/a.md:3 The front matter has no key "headign".'],
    [
      { 'layouts/a.md': '---\nlayout: outer\nheading: "{{ late }}"\n---\n::body' },
      'input-type layouts/a.md:3 "heading" of "outer" takes a text; this is true or false.',
    ],
  ])('%j', (more, wanted) => {
    expect(text({ ...files, ...more, 'templates/t/message.md': md('Body', 'subject: S\nlayout: a') })).toContain(wanted);
  });
});
