import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { codeFrame, describe, didYouMean, hasErrors, inReadingOrder, jsonFault, nearest, problem, SourceText, warning } from './index.js';

group('places', () => {
  const source = new SourceText('message.md', 'one\ntwo\r\nthree\n');

  test.each([
    [0, 1, 1],
    [2, 1, 3],
    [3, 1, 4],
    [4, 2, 1],
    [9, 3, 1],
    [15, 4, 1],
    [99, 4, 1],
    [-5, 1, 1],
  ])('offset %i is line %i, column %i', (offset, line, column) => {
    expect(source.place(offset)).toMatchObject({ file: 'message.md', line, column });
  });

  test('a place is where its line and column say, whatever the text', () => {
    fc.assert(
      fc.property(fc.string({ unit: fc.constantFrom('a', '\n', 'é', ' ') }), fc.nat(60), (text, offset) => {
        const { line, column, offset: at } = new SourceText('f', text).place(offset);
        const lines = text.split('\n');
        expect(lines.slice(0, line - 1).reduce((sum, word) => sum + word.length + 1, 0) + column - 1).toBe(at);
        expect(at).toBe(Math.min(offset, text.length));
      }),
    );
  });
});

group('frames', () => {
  test('show the line with a mark, and those around it', () => {
    const source = new SourceText('data.json', '{\n  "a": 1,\n\t"b": x\n}');
    expect(codeFrame(source.text, source.place(source.text.indexOf('x')))).toBe(
      ['  2 |   "a": 1,', '> 3 |  "b": x', '    |       ^', '  4 | }'].join('\n'),
    );
  });

  test('a line that is far too long is cut around the place', () => {
    const text = `first\n${'a'.repeat(100_000)}HERE${'b'.repeat(100_000)}\nlast`;
    const source = new SourceText('f', text);
    const frame = codeFrame(text, source.place(text.indexOf('HERE'), 4)).split('\n');
    expect(frame[1]).toBe(`> 2 | …${'a'.repeat(60)}HERE${'b'.repeat(96)}…`);
    expect(frame[2]?.indexOf('^^^^')).toBe(frame[1]?.indexOf('HERE'));
    expect(frame.join('').length).toBeLessThan(500);
    expect(codeFrame(text, source.place(6, 1)).split('\n')[1]).toBe(`> 2 | ${'a'.repeat(160)}…`);
  });
  test('line numbers stand flush, and the mark ends with its line', () => {
    const text = Array.from({ length: 12 }, (_, i) => `line ${i + 1}`).join('\n');
    const source = new SourceText('f', text);
    expect(codeFrame(text, source.place(text.indexOf('line 10') + 5, 400))).toBe(
      ['   9 | line 9', '> 10 | line 10', '     |      ^^', '  11 | line 11'].join('\n'),
    );
  });

  test('a problem in words: place, sentence, frame, hint', () => {
    const source = new SourceText('message.md', 'Hello {{ nmae }}');
    const one = problem('unknown-name', source.place(9, 4), 'There is no "nmae".', 'Did you mean "name"?');
    expect(describe(one, source.text)).toBe(
      'message.md:1:10  error unknown-name\n  There is no "nmae".\n> 1 | Hello {{ nmae }}\n    |          ^^^^\n  Did you mean "name"?',
    );
    expect(describe(one, undefined)).toBe('message.md:1:10  error unknown-name\n  There is no "nmae".\n  Did you mean "name"?');
  });
});

group('order', () => {
  test('by file and position, each once', () => {
    const [a, b] = [new SourceText('a.md', 'xxxxx'), new SourceText('b.md', 'xxxxx')];
    const list = [
      warning('w', b.place(1), 'later file'),
      problem('e', a.place(3), 'second'),
      problem('e', a.place(1), 'first'),
      problem('e', a.place(3), 'second'),
    ];
    expect(inReadingOrder(list).map(({ message }) => message)).toEqual(['first', 'second', 'later file']);
    expect(hasErrors(list)).toBe(true);
    expect(hasErrors(list.slice(0, 1))).toBe(false);
  });
});

group('did you mean', () => {
  test.each([
    ['nmae', ['name', 'given'], 'name'],
    ['Naem', ['name'], 'name'],
    ['NAME', ['name'], 'name'],
    ['passenger', ['passenger', 'passengers'], 'passenger'],
    ['bookng', ['booking', 'boarding'], 'booking'],
    ['x', ['y'], 'y'],
    ['total', ['currency'], undefined],
    ['', ['name'], undefined],
  ])('"%s" among %j is %s', (name, known, wanted) => {
    expect(nearest(name, known)).toBe(wanted);
  });

  test('else what there is, not more than eight', () => {
    expect(didYouMean('zzzzzz', ['a1', 'b2'])).toBe('Known here: a1, b2.');
    expect(
      didYouMean(
        'zzzzzz',
        'abcdefghij'.split('').map((text) => text.repeat(4)),
      ),
    ).toBe('Known here: aaaa, bbbb, cccc, dddd, eeee, ffff, gggg, hhhh, and 2 more.');
    expect(didYouMean('zzzzzz', [])).toBeUndefined();
  });
});

group('JSON', () => {
  test.each([
    ['{"a": 1,}', 8, 'a name in double quotes is expected here'],
    ['{"a" 1}', 5, 'a colon is expected here'],
    ['{"a": 1', 7, 'a closing brace is missing'],
    ['[1 2]', 3, 'a comma is expected here'],
    ['{"a": "x', 6, 'this text is not closed'],
    ['{"a": nope}', 6, 'this is no JSON value'],
    ['// no\n{}', 0, 'JSON has no comments'],
    ['{} {}', 3, 'nothing more is expected here'],
  ])('%s', (text, offset, message) => {
    expect(() => JSON.parse(text) as unknown).toThrow();
    expect(jsonFault(text)).toMatchObject({ message });
    expect(Math.abs(jsonFault(text).offset - offset)).toBeLessThanOrEqual(1);
  });
});
