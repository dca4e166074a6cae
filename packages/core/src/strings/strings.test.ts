import { describe as group, expect, test } from '@jest/globals';
import { compileMessage, lookUp, readStrings, textOf } from './index.js';

const file = (locale: string, json: unknown) => ({
  locale,
  file: `strings/${locale}.json`,
  text: typeof json === 'string' ? json : JSON.stringify(json, null, 2),
});

group('reading', () => {
  test('nested keys are joined, and the names of a text are known over all locales', () => {
    const { byLocale, names, problems } = readStrings(
      [
        file('en', { greeting: 'Hello {name}', booking: { seats: '{count, plural, one {# seat} other {# seats for {who}}}' } }),
        file('is', { greeting: '{name, select, other {Halló {name}}}', booking: { seats: '{count} sæti' } }),
      ],
      'en',
    );
    expect(problems).toEqual([]);
    expect(byLocale.get('is')?.get('booking.seats')).toBe('{count} sæti');
    expect(names.get('greeting')).toEqual(new Map([['name', new Set(['text', 'choice'])]]));
    expect(names.get('booking.seats')).toEqual(
      new Map([
        ['count', new Set(['number', 'text'])],
        ['who', new Set(['text'])],
      ]),
    );
  });

  test.each([
    ['what is no JSON', '{"a": ', 'json', 'This is not valid JSON'],
    ['a text that is a number', { a: 4 }, 'string-type', '"a" must be a text.'],
    ['a list', { a: { b: ['x'] } }, 'string-type', '"a.b" must be a text.'],
    ['an open brace', { a: 'Hello {name' }, 'icu', 'is no ICU message'],
    ['a plural without other', { a: '{n, plural, one {x}}' }, 'icu', 'is no ICU message'],
  ])('%s', (_name, json, code, message) => {
    const { problems } = readStrings([file('en', json)], 'en');
    expect(problems).toHaveLength(1);
    expect(problems[0]).toMatchObject({
      code,
      severity: 'error',
      message: expect.stringContaining(message),
      place: { file: 'strings/en.json' },
    });
  });

  test('what a locale lacks is a warning, what only it has is one too, with what was likely meant', () => {
    const { problems } = readStrings([file('en', { hello: 'Hi', bye: 'Bye' }), file('is', { hallo: 'Hæ', bye: 'Bless' })], 'en');
    expect(problems.map((problem) => [problem.severity, problem.code, problem.hint])).toEqual([
      ['warning', 'untranslated', undefined],
      ['warning', 'string-unknown', 'Did you mean "hello"?'],
    ]);
    expect(problems[1]?.place).toMatchObject({ file: 'strings/is.json', line: 2, column: 3 });
  });
});

group('looking up (RFC 4647 3.4)', () => {
  test.each([
    ['fr-CA', 'en', ['fr-CA', 'fr', 'en']],
    ['zh-Hant-TW', 'en', ['zh-Hant-TW', 'zh-Hant', 'zh', 'en']],
    ['en-GB', 'en', ['en-GB', 'en']],
    [undefined, 'is', ['is']],
    ['', 'is', ['is']],
  ])('%s in a folder of %s', (locale, own, wanted) => {
    expect(lookUp(locale, own)).toEqual(wanted);
  });

  test('the text comes with the locale it was found in', () => {
    const strings = readStrings([file('en', { a: 'A', b: 'B' }), file('fr', { a: 'À' })], 'en');
    expect(textOf(strings, 'a', 'fr-CA', 'en')).toEqual({ text: 'À', locale: 'fr' });
    expect(textOf(strings, 'b', 'fr-CA', 'en')).toEqual({ text: 'B', locale: 'en' });
    expect(textOf(strings, 'c', 'fr-CA', 'en')).toBeUndefined();
  });
});

group('saying', () => {
  const say = (text: string, values: Record<string, unknown>, locale = 'en', zone = 'Atlantic/Reykjavik') =>
    compileMessage(text, locale, zone)(values).replace(/[\u00A0\u202F]/g, ' ');
  test.each([
    ['{n, plural, =0 {none} one {# seat} other {# seats}}', { n: 0 }, 'en', 'none'],
    ['{n, plural, =0 {none} one {# seat} other {# seats}}', { n: 1200 }, 'en', '1,200 seats'],
    ['{n, plural, one {# miejsce} few {# miejsca} many {# miejsc} other {# miejsca}}', { n: 22 }, 'pl', '22 miejsca'],
    ['{n, plural, zero {لا} one {مقعد} two {مقعدان} few {# مقاعد} other {# مقعد}}', { n: 2 }, 'ar', 'مقعدان'],
    ['{kind, select, car {your car} other {you}}', { kind: 'car' }, 'en', 'your car'],
    ['{n, selectordinal, one {#st} two {#nd} few {#rd} other {#th}}', { n: 23 }, 'en', '23rd'],
    ['{at, date, long} {at, time, short}', { at: '2026-12-04T08:15:00Z' }, 'en', 'December 4, 2026 8:15 AM'],
    ['{at, date, short}', { at: '2026-12-04T08:15:00Z' }, 'de', '4.12.26'],
    ["It's '{literal}' {x}", { x: 1 }, 'en', "It's {literal} 1"],
    ['<b>{x} & more', { x: 'y' }, 'en', '<b>y & more'],
  ])('%s', (text, values, locale, wanted) => {
    expect(say(text, values, locale)).toBe(wanted);
  });
  test('times are in the zone of the mail', () => {
    expect(say('{at, time, short}', { at: '2026-07-04T08:15:00Z' }, 'en', 'Asia/Tokyo')).toBe('5:15 PM');
  });
  test('a value that is missing is told', () => {
    expect(() => say('{name}', {})).toThrow(/name/);
  });
});
