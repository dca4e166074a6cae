import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { IntlMessageFormat } from 'intl-messageformat';
import { scaled } from '../../../../tests/support/scale.js';
import { compileMessage } from './index.js';

const word = fc.constantFrom('seats', ' ', 'and ', '# ', 'é', '日', "it''s ", '.');
const argument = fc.constantFrom('{name}', '{count}');
const plainForm = fc.array(fc.oneof(word, argument), { maxLength: 4 }).map((pieces) => pieces.join(''));

/** Messages of texts, values, choices and plurals, as deep as people nest them. */
const { message } = fc.letrec<{ message: string; form: string }>((tie) => ({
  form: fc.oneof({ depthSize: 'small' }, plainForm, tie('message')),
  message: fc.oneof(
    { depthSize: 'small' },
    plainForm,
    fc.tuple(tie('form'), tie('form')).map(([a, b]) => a + b),
    fc.tuple(tie('form'), tie('form')).map(([one, other]) => `{kind, select, weather {${one}} other {${other}}}`),
    fc
      .tuple(
        fc.constantFrom('plural', 'selectordinal'),
        fc.constantFrom('', 'offset:1 ', 'offset:2 '),
        fc.uniqueArray(fc.constantFrom('=0', '=1', 'one', 'two', 'few', 'many'), { maxLength: 3 }),
        fc.array(tie('form'), { minLength: 4, maxLength: 4 }),
      )
      .map(
        ([type, offset, names, forms]) =>
          `{count, ${type}, ${offset}${names.map((name, i) => `${name} {${forms[i] ?? ''}}`).join(' ')} other {${forms[3] ?? ''}}}`,
      ),
  ),
}));
const values = fc.record({
  name: fc.oneof(fc.constantFrom('Ása', '', '#', '{count}'), fc.string()),
  count: fc.oneof(fc.integer({ min: -3, max: 25 }), fc.constantFrom(0, 1.5, 1_000_000, -0)),
  kind: fc.constantFrom('weather', 'other', 'strike', 'constructor'),
});

test('says what the library says, in every language', () => {
  fc.assert(
    fc.property(message, values, fc.constantFrom('en', 'fr', 'pl', 'ar', 'ja', 'pt-BR'), (text, given, locale) => {
      const wanted = String(new IntlMessageFormat(text, locale, undefined, { ignoreTag: true }).format(given));
      expect(compileMessage(text, locale, 'UTC')(given)).toBe(wanted);
    }),
    { numRuns: scaled(500, 20_000) },
  );
});

test('a value that is missing or of another kind is refused as before', () => {
  const said = compileMessage('{count, plural, one {# seat} other {# seats}} for {name}', 'en', 'UTC');
  expect(said({ count: 2, name: 'Ása' })).toBe('2 seats for Ása');
  expect(() => said({ count: 2 })).toThrow(/name/);
  expect(() => said({ name: 'Ása' })).toThrow(/count/);
  expect(said({ count: '1', name: 'Ása' })).toBe('1 seat for Ása');
});
