import { LANGUAGES, phraseBook, plainWords, scanner, USUAL_BOOK } from './index.js';

const finds = (phrase: string, text: string): boolean => scanner([['x', [phrase]]])(plainWords(text)).has('x');

test.each([
  ['mailbox*full', 'Your mailbox is now full.', true],
  ['mailbox*full', `Your mailbox ${'x'.repeat(61)} full`, false],
  ['mailbox full', 'Mailbox\n   full!', true],
  ['{was|were} not delivered', 'They were not delivered.', true],
  ['deliver{ed|y}', 'delivery', true],
  ['a {|very }small', 'a small', true],
  ['a {|very }small', 'a very small', true],
  ['^ out of office', 'Out of office: x', true],
  ['^ out of office', 'Re: out of office', false],
  [' full ', 'full', true],
  [' full ', 'fuller', false],
  ['delivered !not', 'was delivered', true],
  ['delivered !not', 'was not delivered', false],
  ['attempts will !no more', 'no more attempts will', false],
  ['attempts will !no more', 'attempts will', true],
  ["couldn't be", 'It couldn\u2019t be', true],
  ['delivery to * failed', 'Delivery to <a@post.example> failed', true],
  ['宛先*不明', '宛先（a@post.example）が不明です。', true],
])('"%s" in "%s"', (phrase, text, expected) => {
  expect(finds(phrase, text)).toBe(expected);
});

test('a text takes time in proportion to its length, whatever it is', () => {
  const scan = scanner([['x', ['aa*aa*aa*ab', 'a{a|b}a*b']]]);
  for (const length of [100_000, 200_000]) expect(scan(plainWords('a'.repeat(length), length)).size).toBe(0);
  const long = plainWords('no more delivery attempts to the mailbox quota of the user '.repeat(1000), 60_000);
  expect(USUAL_BOOK.says(long).has('givenUp')).toBe(true);
  expect(scanner(USUAL_BOOK.causes)(long).size).toBe(0);
});

test('every language says that an email failed, and knows its subjects and answers', () => {
  expect(LANGUAGES.length).toBeGreaterThanOrEqual(14);
  for (const { language, failed, bounceSubject, autoSubject, away, noted } of LANGUAGES)
    expect([language, ...[failed, bounceSubject, autoSubject, away, noted].map(({ length }) => length > 0)]).toEqual([
      language,
      true,
      true,
      true,
      true,
      true,
    ]);
});

test('phrases that someone adds go before', () => {
  const book = phraseBook([
    { means: 'policy', phrases: ['The Sack is {full|closed}'] },
    { means: 'away', phrases: ['gone fishing'] },
  ]);
  const cause = (text: string) => [...scanner(book.causes)(plainWords(text)).keys()][0];
  expect(cause('Sorry, the sack is closed.')).toBe('policy');
  expect(book.says(plainWords('We are gone fishing.')).get('away')).toBe('gone fishing');
  expect(USUAL_BOOK.says(plainWords('We are gone fishing.')).has('away')).toBe(false);
  expect(() => phraseBook([{ means: 'away', phrases: ['{a|b|c|d|e|f|g|h|i|j}'.repeat(4)] }])).toThrow(/more than 500/);
});
