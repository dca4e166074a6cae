import { describe, expect, test } from '@jest/globals';
import { formatSource } from './index.js';
import { opened } from './test-folder.js';

const { modes } = opened({}).folder.context;
const format = (text: string, path = 'templates/t/message.md'): string => formatSource(path, text, modes);

describe('a source is formatted', () => {
  test.each([
    ['spaces in braces', '{{name}} and {{  name|upper }}', '{{ name }} and {{ name | upper }}'],
    ['operators', '{{ a+b*(c-1) }} {{ a==1?"x":"y" }} {{ a??b }}', '{{ a + b * (c - 1) }} {{ a == 1 ? "x" : "y" }} {{ a ?? b }}'],
    ['paths', '{{ a . b [ 0 ].c }}', '{{ a.b[0].c }}'],
    ['named arguments', '{{ say "k"  n = a }} {{ at|time zone = z }}', '{{ say "k" n=a }} {{ at | time zone=z }}'],
    ['a test in "where"', '{{ xs|where "f"=1 | count }}', '{{ xs | where "f" = 1 | count }}'],
    ['texts with braces', '{{ "}}"+a }}', '{{ "}}" + a }}'],
    ['the sign of a number', '{{ n|round -1 }} {{ n -1 }}', '{{ n | round -1 }} {{ n - 1 }}'],
    ['a comment', '{{#   note   }}x', '{{# note }}x'],
    ['directives', ':::notice   tone=info\nx\n:::  ', ':::notice tone=info\nx\n:::'],
    [
      'directives that steer',
      ':::each  x ,at  in xs|first 3\n- {{x}}\n:::\n::let  a=1+2',
      ':::each x, at in xs | first 3\n- {{ x }}\n:::\n::let a = 1 + 2',
    ],
    [
      'quoted arguments',
      '::action  "Go   there"   to="https://a.example/{{x|upper}}"',
      '::action "Go   there" to="https://a.example/{{ x | upper }}"',
    ],
    ['rows', ':::ledger\n- a|b  |{{ x|money "EUR" }}\n= Total||c\n:::', ':::ledger\n- a | b | {{ x | money "EUR" }}\n= Total | | c\n:::'],
    ['facts', ':::facts\n-   A:    b\n:::', ':::facts\n- A: b\n:::'],
    ['empty lines', 'a\n\n\n\nb\n\n\n', 'a\n\nb'],
    ['ends of lines', 'a   \nb \n', 'a  \nb'],
    ['line ends of other systems', 'a\r\n\r\nb\r\n', 'a\n\nb'],
    ['bullets', '* a\n* b', '- a\n- b'],
    ['text that a block takes as it stands', ':::postal\n{{name}}  \n\n\n{{x}}\n:::', ':::postal\n{{ name }}  \n\n\n{{ x }}\n:::'],
    ['the space after bullets', '-   a\n-  b', '- a\n- b'],
    ['headings', '##   A   ##', '## A'],
  ])('%s', (_what, text, wanted) => {
    expect(format(text)).toBe(`${wanted}\n`);
  });

  test('in its front matter', () => {
    expect(format('---\nsubject:    "{{a|upper}}"\npreview: "{{b}}"\n---\nx\n')).toBe(
      '---\nsubject: "{{ a | upper }}"\npreview: "{{ b }}"\n---\nx\n',
    );
  });
});

test.each([
  ['code', '```\n{{{{a}} :::x   y\n\n\n```'],
  ['raw markup', ':::raw html\n<p>  a   </p>\n\n\n<p></p>\n:::'],
  ['a comment over lines', '{{# a\n\n\n  b:::c   d }}\nx'],
  ['literal braces', '\\{{a}} {{{{b}}'],
  ['lists that only their bullets part', '- a\n- b\n\n* c'],
  ['a number with its sign', '{{ n | round -2 }}'],
])('%s stays as it is', (_what, text) => {
  expect(format(`${text}\n`)).toBe(`${text}\n`);
});

test('a source that cannot be read keeps what is wrong in it', () => {
  expect(format('{{ a +  }}\n:::nothing\n')).toBe('{{ a +  }}\n:::nothing\n');
  expect(format('---\nsubject: {{ a }\n')).toBe('---\nsubject: {{ a }\n');
});

test('text that is taken as it stands keeps its spaces', () => {
  expect(format('Dear {{name}}   \n\n\n:::if   a==1\nx\n:::\n', 'templates/t/message.txt')).toBe(
    'Dear {{ name }}   \n\n\n:::if a == 1\nx\n:::\n',
  );
  expect(format('<p>{{name}}', 'templates/t/message.html')).toBe('<p>{{ name }}');
});
