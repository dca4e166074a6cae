import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { compilePath } from './paths.js';

const store = {
  store: {
    book: [
      { category: 'reference', author: 'Nigel', price: 8.95 },
      { category: 'fiction', author: 'Evelyn', price: 12.99 },
      { category: 'fiction', author: 'Herman', isbn: '0-553', price: 8.99 },
    ],
    bicycle: { color: 'red', price: 399 },
  },
  'a b': { 'c.d': [0, 1, 2, 3, 4, 5] },
  limit: 10,
};

function all(path: string, value: unknown = store): readonly unknown[] {
  const compiled = compilePath(path);
  if (typeof compiled === 'string') throw new Error(compiled);
  return compiled.all(value);
}

group('the whole of RFC 9535', () => {
  test.each<[string, readonly unknown[]]>([
    ['$.store.book[*].author', ['Nigel', 'Evelyn', 'Herman']],
    ['$..author', ['Nigel', 'Evelyn', 'Herman']],
    ['$.store..price', [399, 8.95, 12.99, 8.99]],
    ['$..book[2].author', ['Herman']],
    ['$..book[-1].author', ['Herman']],
    ['$..book[0,1].author', ['Nigel', 'Evelyn']],
    ['$..book[:2].author', ['Nigel', 'Evelyn']],
    ['$..book[?@.isbn].author', ['Herman']],
    ['$..book[?@.price < 10].author', ['Nigel', 'Herman']],
    ['$..book[?@.price < $.limit && @.category == "fiction"].author', ['Herman']],
    ["$['a b']['c.d'][1:5:2]", [1, 3]],
    ["$['a b']['c.d'][::-1]", [5, 4, 3, 2, 1, 0]],
    ['$..book[?length(@.author) == 5].author', ['Nigel']],
    ['$..book[?match(@.author, "E.*")].author', ['Evelyn']],
    ['$..book[?search(@.author, "er")].author', ['Herman']],
    ['$.store.book[?count(@.*) == 4].isbn', ['0-553']],
    ['$.store.none', []],
    ['$.store.book[9]', []],
    ['$.limit.deeper', []],
  ])('%s', (path, wanted) => {
    expect([...all(path)].sort()).toEqual([...wanted].sort());
  });
  test('a plain path is walked: own names only, names of records and numbers of lists', () => {
    expect(all('$.store.constructor')).toEqual([]);
    expect(all('$.store.book.length')).toEqual([]);
    expect(all('$.a[0]', { a: { 0: 'x' } })).toEqual([]);
    expect(all("$['__proto__']", JSON.parse('{"__proto__": 1}'))).toEqual([1]);
  });
});

test.each<[string, RegExp]>([
  ['store.book', /must begin with "\$"/],
  ['$.', /is not a JSONPath/],
  ['$.store[', /is not a JSONPath/],
  ['$[?(@.length-1)]', /is not a JSONPath/],
  ['$.a~', /is not a JSONPath/],
  ['$[?nope(@.a)]', /is not a JSONPath/],
  ['$..a..b..c', /".." more than 2 times/],
  ['$[?@.a == $..b]', /./],
  ['$[?$..b]', /looks into the whole value/],
  ['$[?count($.list[*]) > 2]', /looks into the whole value/],
  [`$${'.a'.repeat(300)}`, /longer than 500/],
])('%s is refused', (path, why) => {
  expect(compilePath(path)).toEqual(expect.stringMatching(why));
});

group('no value makes a path throw or take long', () => {
  const paths = ['$..*', '$..a..b', '$[?@.a == 1]', '$[?search(@.a, "(a+)+$")]', '$[?@..a]', '$[*][*]', "$['a','b']", '$[::2]'].map(
    (path) => {
      const compiled = compilePath(path);
      if (typeof compiled === 'string') throw new Error(compiled);
      return compiled;
    },
  );
  test('any JSON', () => {
    fc.assert(
      fc.property(fc.jsonValue({ maxDepth: 10 }), (value) => {
        for (const path of paths) expect(Array.isArray(path.all(value))).toBe(true);
      }),
    );
  });
  test('what is too deep or too large finds nothing; a pattern that would backtrack does not', () => {
    let deep: unknown = [];
    for (let i = 0; i < 100_000; i += 1) deep = [deep];
    const large = Array.from({ length: 300_000 }, () => 1);
    const sly = [{ a: `${'a'.repeat(200_000)}!` }];
    for (const path of paths) {
      expect(path.all(deep)).toEqual([]);
      expect(path.all(large)).toEqual([]);
      expect(path.all(sly).length).toBeLessThan(5);
    }
  });
});
