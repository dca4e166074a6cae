import { describe as group, expect, test } from '@jest/globals';
import { md, object, testFolder } from './test-folder.js';
import { Fault } from '../problems/index.js';

const SCHEMA = object({ s: { type: 'string' }, u: { type: 'string', format: 'uri' }, n: { type: 'integer' } });

/** What data could hold to lead a link elsewhere, or to add to it. */
const HOSTILE = [
  '/evil.example/x',
  '//evil.example',
  '@evil.example/',
  '.evil.example',
  '../../logout',
  '..',
  '%2e%2e/%2E',
  'a&admin=1#x',
  'x?y=1',
  ':443',
  'javascript:alert(1)',
  '\\\\evil.example\\x',
  '\r\nhost: evil.example',
  '"><script>alert(1)</script>',
  '日本 ü%',
];

/** Where a value may be in an address: its source, what the address must begin with, and which component the value is. */
const POSITIONS: readonly (readonly [
  name: string,
  source: Record<string, string>,
  before: string,
  component: 'segment' | 'query' | 'name' | 'hash' | 'mailbox',
])[] = [
  ['link, root path', { 'message.md': '[Open](/{{ s }})' }, 'https://shop.example/', 'segment'],
  ['link, later segment', { 'message.md': '[Open](/bookings/x/{{ s }})' }, 'https://shop.example/bookings/x/', 'segment'],
  ['link, relative path', { 'message.md': '[Open](bookings/{{ s }})' }, 'https://shop.example/base/bookings/', 'segment'],
  ['link, absolute', { 'message.md': '[Open](https://other.example/a/{{ s }})' }, 'https://other.example/a/', 'segment'],
  ['link, query value', { 'message.md': '[Open](/f?q={{ s }})' }, 'https://shop.example/f?q=', 'query'],
  ['link, query name', { 'message.md': '[Open](/f?{{ s }}=1)' }, 'https://shop.example/f?', 'name'],
  ['link, fragment', { 'message.md': '[Open](/f#{{ s }})' }, 'https://shop.example/f#', 'hash'],
  ['link, mailbox', { 'message.md': '[Write](mailto:{{ s }})' }, 'mailto:', 'mailbox'],
  ['block action', { 'message.md': '::action "Open" to="/a/{{ s }}"' }, 'https://shop.example/a/', 'segment'],
  ['block picture', { 'message.md': '::picture "/p/{{ s }}" alt="P"' }, 'https://shop.example/p/', 'segment'],
  ['picture of Markdown', { 'message.md': '![P](/p/{{ s }})' }, 'https://shop.example/p/', 'segment'],
  [
    'block of one’s own',
    { 'message.md': '::go to="/a/{{ s }}"', 'go.md': '---\ninputs:\n  to: { type: string, format: uri }\n---\n[Open]({{ to }})' },
    'https://shop.example/a/',
    'segment',
  ],
  ['message.html href', { 'message.html': '<a href="/courses/{{ s }}">Open</a>' }, 'https://shop.example/courses/', 'segment'],
  ['message.html href without quotes', { 'message.html': '<a href=/c/{{ s }}>Open</a>' }, 'https://shop.example/c/', 'segment'],
  ['message.html query', { 'message.html': '<a href="/f?q={{ s }}&amp;r=1">Open</a>' }, 'https://shop.example/f?q=', 'query'],
  ['message.html src', { 'message.html': '<img src="/p/{{ s }}" alt="P">' }, 'https://shop.example/p/', 'segment'],
  [
    'message.html background',
    { 'message.html': '<table background="/p/{{ s }}"><tr><td>x</td></tr></table>' },
    'https://shop.example/p/',
    'segment',
  ],
  [
    'VML in a comment',
    { 'message.html': '<p>x</p><!--[if mso]><v:roundrect href="/v/{{ s }}" arcsize="9%">x</v:roundrect><![endif]-->' },
    'https://shop.example/v/',
    'segment',
  ],
  [
    'VML picture in a comment',
    { 'message.html': '<p>x</p><!--[if mso]><v:fill src="/v/{{ s }}" /><![endif]-->' },
    'https://shop.example/v/',
    'segment',
  ],
  [
    'a link for others than the Word engine',
    { 'message.html': '<!--[if !mso]><!--><a href="/n/{{ s }}">x</a><!--<![endif]-->' },
    'https://shop.example/n/',
    'segment',
  ],
];

function folder(source: Record<string, string>, settings?: string): ReturnType<typeof testFolder> {
  const files: Record<string, string> = {};
  for (const [name, text] of Object.entries(source))
    if (name === 'go.md') files['blocks/go.md'] = text;
    else files[`templates/t/${name}`] = md(text);
  return testFolder(SCHEMA, files, settings);
}

const unescaped = (text: string): string =>
  text
    .replace(/&#39;/g, "'")
    .replace(/&quot;/g, '"')
    .replace(/&lt;/g, '<')
    .replace(/&gt;/g, '>')
    .replace(/&amp;/g, '&');

/** Every address of the HTML, in attributes and in comments. */
function addressesIn(html: string): string[] {
  return [...html.matchAll(/\s(?:href|src|background)="([^"]*)"/g)].map((found) => unescaped(found[1] ?? ''));
}

group('data in an address stays within its component', () => {
  test.each(POSITIONS)('%s', (_name, source, before, component) => {
    const { codes, render } = folder(source);
    expect(codes.filter((code) => code !== 'html-syntax')).toEqual([]);
    const plain = addressesIn(render({ s: 'x', u: 'https://a.example/', n: 1 }).html).find((text) => text.startsWith(before)) ?? '';
    for (const s of HOSTILE) {
      const { html } = render({ s, u: 'https://a.example/', n: 1 });
      const found = addressesIn(html).filter((text) => text.startsWith(before));
      expect(found.length).toBeGreaterThan(0);
      for (const address of found) {
        const rest = address.slice(before.length);
        // The value is one component, as it was given, and everything around it is where it was.
        const value = rest.slice(0, rest.length - (plain.length - before.length - 1));
        expect(value).not.toMatch(/[/?#&\\\s"<>:=]/);
        if (component !== 'mailbox') expect(value).not.toContain('@');
        const decoded = decodeURIComponent(value);
        if (/^(?:\.|%2e)+$/i.test(s)) expect(decodeURIComponent(decoded)).toBe(decodeURIComponent(s));
        else expect(decoded).toBe(s);
        const url = new URL(address);
        expect(url.href).toBe(address);
        const expected = new URL(plain);
        expect([url.protocol, url.host, url.username, url.port]).toEqual([
          expected.protocol,
          expected.host,
          expected.username,
          expected.port,
        ]);
        expect(url.pathname.split('/').length).toBe(expected.pathname.split('/').length);
        expect([...url.searchParams].length).toBe([...expected.searchParams].length);
      }
      expect(html).not.toContain('<script>');
    }
  });

  test('a value that is encoded already is not encoded again', () => {
    const { render } = folder({ 'message.md': '[A](/x/{{ s | url }}?q={{ s | url }})' });
    expect(addressesIn(render({ s: 'lim/p & 1', u: 'https://a.example/', n: 1 }).html)).toContain(
      'https://shop.example/x/lim%2Fp%20%26%201?q=lim%2Fp%20%26%201',
    );
  });

  test('two empty values do not make a host of what follows', () => {
    const { render } = folder({ 'message.md': '[A](/{{ s }}/{{ n }})' });
    expect(addressesIn(render({ s: '', u: 'https://a.example/', n: 1 }).html)).toContain('https://shop.example//1');
  });
});

group('data never says where a link leads', () => {
  test.each([
    ['[A](https://shop.example{{ s }})', 'address-host'],
    ['[A](https://{{ s }}.x.example/)', 'address-host'],
    ['[A](https://u@{{ s }}/)', 'address-host'],
    ['[A](https:{{ s }})', 'address-host'],
    ['[A](//{{ s }}/x)', 'address-host'],
    ['[A](java{{ s }}:x)', 'address-host'],
    ['[A]({{ s }})', 'address-type'],
    ['[A]({{ n }})', 'address-type'],
    ['[A]({{ s }}/x)', 'address-type'],
    ['[A]({{ "/x/" + s }})', 'address-type'],
    ['[A]({{ u }}x)', 'address-tail'],
    ['[A]({{ n > 1 ? "javascript:x" : "/y" }})', 'address-type'],
    ['[A](javascript:x)', 'link-scheme'],
    ['[A]()', 'link-empty'],
    ['[A](http://[)', 'link-malformed'],
    ['::picture "{{ u }}" alt="x" carried=yes', 'address-carried'],
    ['::picture "assets/none.png" alt="x" carried=yes', 'asset-missing'],
    ['::picture "assets/none.png" alt="x"', 'asset-missing'],
    ['::picture "https://x.example/a.png" alt="x" carried=yes', 'asset-missing'],
  ])('%s: %s', (body, code) => {
    expect(folder({ 'message.md': body }).codes).toContain(code);
  });

  test('a relative address without a base URL is reported by check', () => {
    expect(folder({ 'message.md': '[A](/x)' }, '').codes).toContain('link-malformed');
    expect(folder({ 'message.md': '[A](/x/{{ s }})' }, '').codes).toContain('link-malformed');
    const schema = object({ u: { type: 'string', format: 'uri-reference' } });
    expect(testFolder(schema, { 'templates/t/message.md': md('[A]({{ u }})') }, '').codes).toContain('address-type');
    expect(testFolder(schema, { 'templates/t/message.md': md('[A]({{ u }})') }).codes).toEqual([]);
  });

  test('a whole address: its scheme is checked, its host against "linkHosts", and what follows only adds to it', () => {
    const { render, codes } = folder(
      { 'message.md': '[A]({{ u }}/x/{{ s }})' },
      'baseUrl: https://shop.example/\nlinkHosts: [pay.example, "*.cdn.example"]\n',
    );
    expect(codes).toEqual([]);
    const address = (u: string): string => addressesIn(render({ s: '../a', u, n: 1 }).html)[0] ?? '';
    expect(address('https://pay.example/p')).toBe('https://pay.example/p/x/..%2Fa');
    expect(address('https://a.cdn.example')).toBe('https://a.cdn.example/x/..%2Fa');
    expect(address('https://shop.example/')).toBe('https://shop.example/x/..%2Fa');
    for (const u of [
      'https://evil.example/',
      'https://pay.example@evil.example/',
      'https://cdn.example/',
      'javascript:alert(1)',
      'data:text/html,x',
    ])
      expect(() => address(u)).toThrow(Fault);
  });

  test('what the service makes leads where it must, whatever "linkHosts" says; without a base URL it may be absent', () => {
    const source = {
      'message.html': '<a href="{{ mail.unsubscribe }}">Stop</a> <a href="{{ mail.baseUrl }}help">Help</a>'.replace('}}help', '}}/help'),
    };
    const { render } = folder(source, 'baseUrl: https://shop.example/\nlinkHosts: []\n');
    expect(addressesIn(render({ s: 'x', u: 'https://a.example/', n: 1 }).html)).toEqual([
      'https://shop.example/',
      'https://shop.example/help',
    ]);
    expect(folder(source, '').codes).toContain('maybe-absent');
  });

  test('conditional comments that reveal stay as they are', () => {
    const { render } = folder({ 'message.html': '<body><![if !mso]><p>x</p><![endif]><!-- a note --><!--[if mso]><p>y</p><![endif]-->' });
    expect(render({ s: 'x', u: 'https://a.example/', n: 1 }).html).toContain(
      '<![if !mso]><p>x</p><![endif]><!-- a note --><!--[if mso]><p>y</p><![endif]-->',
    );
  });

  test('an address that is written out in the template, or in the schema, needs no format', () => {
    const schema = object({ kind: { enum: ['/a', 'https://x.example/b'] }, n: { type: 'integer' } });
    const { codes, render } = testFolder(schema, { 'templates/t/message.md': md('[A]({{ kind }}) [B]({{ n > 1 ? "/y" : "/z" }})') });
    expect(codes).toEqual([]);
    expect(addressesIn(render({ kind: '/a', n: 2 }).html)).toEqual(['https://shop.example/a', 'https://shop.example/y']);
  });
});

group('markup of one’s own within Markdown', () => {
  const raw = (markup: string): ReturnType<typeof testFolder> => folder({ 'message.md': `:::raw html\n${markup}\n:::` });
  test.each([
    ['<p class={{ s }}>x</p>', 'raw-data'],
    ['<a href="{{ u }}">x</a>', 'raw-data'],
    ['<a href="/x/{{ s }}">x</a>', 'raw-data'],
    ['<a href="javascript:x">x</a>', 'link-scheme'],
    ['<script>x</script>', 'forbidden-element'],
    ['<form action="/x"></form>', 'forbidden-element'],
    ['<meta http-equiv="refresh" content="0;url=/x">', 'forbidden-element'],
    ['<img src="/a.png" alt="" onerror="x">', 'forbidden-attribute'],
    ['<svg><script>x</script></svg>', 'forbidden-element'],
    ['<!--[if mso]><script>x</script><![endif]-->', 'forbidden-element'],
    ['<!--[if mso]><v:rect href="{{ s }}"></v:rect><![endif]-->', 'address-type'],
    ['<div>x', 'html-open'],
    ['x</div>', 'html-open'],
    ['<a href="', 'html-open'],
    ['<!-- x', 'html-open'],
    ['<tr><td>{{ s }}</td></tr>', 'html-dropped'],
    ['<style>p{color:{{ s }}}</style>', 'forbidden-element'],
    ['<link rel="stylesheet" href="https://x.example/a.css">', 'forbidden-element'],
  ])('%s: %s', (markup, code) => {
    expect(raw(markup).codes).toContain(code);
  });
  test('a value in its text is escaped, addresses are absolute, and the text part says the same', () => {
    const { codes, render } = raw('<p style="margin:0">Dear {{ s }}, <a href="/x">look</a>.</p>');
    expect(codes).toEqual([]);
    const { html, text } = render({ s: '<b>&', u: 'https://a.example/', n: 1 });
    expect(html).toContain('<p style="margin:0">Dear &lt;b&gt;&amp;, <a href="https://shop.example/x">look</a>.</p>');
    expect(text).toBe('Dear <b>&, look [1].\n\n[1] https://shop.example/x\n');
  });
  test('errors carry the line and column of the markup', () => {
    const { problems } = folder({ 'message.md': 'x\n\n:::raw html\n<p>y</p>\n<p>{{ s }}</p> <form></form>\n:::' });
    expect(problems.filter((problem) => problem.code === 'forbidden-element').map(({ place }) => `${place.line}:${place.column}`)).toEqual([
      '8:16',
    ]);
  });
});
