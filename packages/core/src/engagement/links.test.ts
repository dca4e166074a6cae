import { expect, test } from '@jest/globals';
import { parse } from 'parse5';
import fc from 'fast-check';
import { scaled } from '../../../../tests/support/scale.js';
import { linksOf, readHitToken, rewriteLinks, withoutMarks, withPicture, writeHitToken, type HitToken } from './index.js';

const KEY = Buffer.alloc(32, 7);
const none: (url: string) => boolean = () => false;
const numbered = (html: string, isOwn = none) => rewriteLinks(html, ({ index }) => `https://post.example/go/${index}?a=1&b=2`, isOwn);

test('links are followed through the service, and everything else stays as it is, byte for byte', () => {
  const html = `<!doctype html><body>
<p>See <a class="x"  href='https://saltmarsh-ferries.example/a?b=1&amp;c=2#d' title="t">your  <b>booking</b></a>, <A HREF=https://saltmarsh-ferries.example/plain>plain</A>
<a href="mailto:x@post.example">m</a> <a href="tel:+354">t</a> <a href="#top">top</a> <a name="n">n</a> <a href="/relative">r</a>
<map><area alt="The pier" href="https://saltmarsh-ferries.example/pier"></map>
<a href="https://saltmarsh-ferries.example/ship"><img src="https://saltmarsh-ferries.example/s.png" alt="The ship"></a>
<style>a[href="https://saltmarsh-ferries.example/a"] {}</style><!-- <a href="https://saltmarsh-ferries.example/comment">c</a> -->
<title><a href="https://saltmarsh-ferries.example/title">x</a></title></body>`;
  const { html: out, count } = numbered(html);
  expect(count).toBe(4);
  expect(linksOf(html).filter(({ untracked }) => untracked === undefined)).toEqual(
    [
      { index: 1, label: 'your booking', block: '', url: 'https://saltmarsh-ferries.example/a?b=1&c=2#d' },
      { index: 2, label: 'plain', block: '', url: 'https://saltmarsh-ferries.example/plain' },
      { index: 8, label: 'The pier', block: '', url: 'https://saltmarsh-ferries.example/pier' },
      { index: 9, label: 'The ship', block: 'picture', url: 'https://saltmarsh-ferries.example/ship' },
    ].map((link) => ({ ...link, untracked: undefined, index: expect.any(Number) })),
  );
  const back = out.replace(/href="https:\/\/post\.example\/go\/(\d+)\?a=1&amp;b=2"/g, '@');
  const bare = html
    .replace("href='https://saltmarsh-ferries.example/a?b=1&amp;c=2#d'", '@')
    .replace('HREF=https://saltmarsh-ferries.example/plain', '@')
    .replace('href="https://saltmarsh-ferries.example/pier"', '@')
    .replace('href="https://saltmarsh-ferries.example/ship"', '@');
  expect(back).toBe(bare);
});

test('a button for the Word engine is the same link as the one for everybody else', () => {
  const html = `<!--[if mso]><v:roundrect href="https://saltmarsh-ferries.example/go"><center>Go</center></v:roundrect><![endif]--><!--[if !mso]><!--><a class="block-action x" href="https://saltmarsh-ferries.example/go">Go</a><!--<![endif]-->`;
  const { html: out, count } = numbered(html);
  expect(count).toBe(1);
  expect(out.match(/https:\/\/post\.example\/go\/1/g)).toHaveLength(2);
  expect(out).not.toContain('saltmarsh');
  expect(linksOf(html)).toMatchObject([{ index: 1, label: 'Go', block: 'action' }]);
});

test.each([
  ['a token', 'https://a.example/x?token=1', 'parameter "token"'],
  ['an access token', 'https://a.example/x?accessToken=1', 'parameter "accessToken"'],
  ['a signature', 'https://a.example/x?X-Amz-Signature=ab', 'Signature'],
  ['a code in the fragment', 'https://a.example/x#code=12', 'parameter "code"'],
  ['a value made by chance', 'https://a.example/x?q=b3Xk9QpL2mZv7RtY1sWn', 'looks like a secret'],
  ['a hash in the path', 'https://a.example/d/9f86d081884c7d659a2feaa0c55ad015a3bf4f1b', 'path'],
  ['a signed token', 'https://a.example/s/eyJhbGciOiJIUzI1NiJ9.e30.abc', 'path'],
  ['what comes after a word', 'https://a.example/reset/493027', 'after "reset"'],
  ['an id after a word', 'https://a.example/invite/3f2b8c1e-0d4f-4a58-9f0b-0a1b2c3d4e5f', 'after "invite"'],
  ['a password', 'https://me:pw@a.example/', 'user name or password'],
])('an address with %s is not tracked', (_name, url, why) => {
  expect(linksOf(`<a href="${url}">x</a>`)[0]?.untracked).toContain(why);
  expect(numbered(`<a href="${url}">x</a>`).html).toContain(url);
});

test.each([
  'https://a.example/',
  'https://a.example/bookings/SM-1042/manage',
  'https://a.example/orders/3f2b8c1e-0d4f-4a58-9f0b-0a1b2c3d4e5f',
  'https://a.example/news/2026/11/27/what-changes-at-the-3-piers-this-week',
  'https://a.example/a?week=48&lang=en&utm_source=mail&utm_campaign=pier_news_2026_48',
  'https://a.example/a#tides',
])('%s is tracked', (url) => {
  expect(linksOf(`<a href="${url}">x</a>`)[0]?.untracked).toBeUndefined();
});

test('an author decides about a link: the mark counts, and is not sent', () => {
  const html =
    '<a href="https://a.example/1" data-track="no">1</a><a data-track="yes" href="https://a.example/?token=x">2</a><a href="https://a.example/3">3</a>';
  const { html: out } = numbered(html);
  expect(out).not.toContain('data-track');
  expect(out).toContain('<a href="https://a.example/1" >1</a>');
  expect(out).not.toContain('token=x');
  expect(withoutMarks(html)).toBe(html.replace(/data-track="\w+"/g, ''));
});

test('with a passcode nothing is tracked, and pages of the service never are', () => {
  const link = '<a href="https://a.example/1">1</a>';
  expect(numbered(`${link}<span class="block-passcode vt">493 027</span>`).html).toContain(link);
  expect(numbered(link, (url) => url.startsWith('https://a.example/')).count).toBe(0);
});

test('the text has the same addresses, but for those that must not be tracked anywhere', () => {
  const html =
    '<a href="https://a.example/ö">1</a><a href="https://a.example/2" data-track="no">2</a><a href="https://a.example/2">again</a>';
  const { text } = numbered(html);
  expect(text('One: https://a.example/ö. Two (https://a.example/2), three https://a.example/3\n[1] https://a.example/%C3%B6')).toBe(
    'One: https://post.example/go/1?a=1&b=2. Two (https://a.example/2), three https://a.example/3\n[1] https://post.example/go/1?a=1&b=2',
  );
});

test('the picture comes last', () => {
  expect(withPicture('<body><p>x</p></body></html>', 'https://p.example/"')).toMatch(
    /<p>x<\/p><img src="https:\/\/p\.example\/&quot;"[^>]*>\n<\/body>/,
  );
  expect(withPicture('<p>x</p>', 'https://p.example/')).toMatch(/^<p>x<\/p><img /);
});

test('hostile HTML loses nothing and gains nothing but addresses', () => {
  const piece = fc.constantFrom(
    '<a href="https://a.example/1">',
    "<a href='https://a.example/2'>",
    '<a href=https://a.example/3>',
    '</a>',
    '<!--',
    '-->',
    '<!--[if mso]>',
    '<![endif]-->',
    '<style>',
    '</style>',
    '<script>',
    '"',
    "'",
    '<',
    '>',
    '&amp;',
    'data-track="no"',
    'words',
    '<img alt="x">',
    '<v:rect href="https://a.example/4">',
    '\0',
    '<a href="https://a.example/1" href="https://a.example/5" data-track=no>',
  );
  fc.assert(
    fc.property(fc.array(piece, { maxLength: 25 }), (pieces) => {
      const html = pieces.join('');
      const { html: out } = rewriteLinks(html, ({ url }) => url.replace('a.example', 'b.example'), none);
      const neutral = (text: string): string =>
        text
          .replaceAll('b.example', 'a.example')
          .replace(/href=("?'?)(https:[^"'>\s]*)("?'?)/g, 'href="$2"')
          .replace(/data-track=("no"|no)/g, '');
      expect(neutral(out)).toBe(neutral(html));
      expect(parse(out)).toBeDefined();
    }),
    { numRuns: scaled(600, 2000) },
  );
});

test('hidden links find theirs among many of the same address', () => {
  const pair = (i: number): string =>
    `<!--[if mso]><v:rect href="https://a.example/"></v:rect><![endif]--><a href="https://a.example/">Word ${i}</a>`;
  const html = Array.from({ length: scaled(5000, 20_000) }, (_, i) => pair(i)).join('');
  const { html: out, count } = numbered(html);
  expect(count).toBe(500);
  expect(out.slice(0, 400)).toMatch(/go\/1\?.*go\/1\?.*go\/2\?.*go\/2\?/);
});

test('very many links take no longer than reading them', () => {
  const html = Array.from({ length: scaled(20_000, 100_000) }, (_, i) => `<a href="https://a.example/${i}">x</a>`).join('');
  expect(numbered(html).count).toBe(500);
});

const token = fc.record<HitToken>({
  of: fc.oneof(
    fc.record({ mode: fc.constant('individual' as const), deliveryId: fc.stringMatching(/^d_[0-9a-z]{1,30}$/) }),
    fc.record({
      mode: fc.constant('counts' as const),
      group: fc.stringMatching(/^[\w-]{6}$/),
      space: fc.stringMatching(/^[a-z]{1,9}$/),
      template: fc.stringMatching(/^[a-z-]{0,9}$/),
      topic: fc.stringMatching(/^[a-z-]{0,9}$/),
      sentMinute: fc.nat(50_000_000),
    }),
  ),
  index: fc.nat(500),
  links: fc.nat(500),
  label: fc.string({ unit: 'grapheme', maxLength: 80 }).map((text) => text.replace(/\n/g, ' ').toWellFormed()),
  block: fc.constantFrom('', 'action'),
  url: fc.webUrl({ withFragments: true, withQueryParameters: true, size: 'large' }),
});

test('a token gives back what it was made of, and none that was altered gives anything', () => {
  fc.assert(
    fc.property(token, fc.nat(), fc.constantFrom('A', 'B', '-', '_'), (made, place, sign) => {
      const text = writeHitToken(KEY, made);
      expect(readHitToken(KEY, text)).toEqual(made);
      const at = place % text.length;
      const altered = text.slice(0, at) + sign + text.slice(at + 1);
      if (altered !== text) expect(readHitToken(KEY, altered)).toBeUndefined();
      expect(readHitToken(KEY, text.slice(0, at))).toBeUndefined();
      expect(readHitToken(Buffer.alloc(32, 8), text)).toBeUndefined();
    }),
  );
});

test('a long address makes a token that is hardly longer', () => {
  const url = `https://saltmarsh-ferries.example/search?${Array.from({ length: 60 }, (_, i) => `filter${i}=value-${(i * 7919) % 10_007}`).join('&')}`;
  const of = { mode: 'individual' as const, deliveryId: 'd_01jd4z9m2c5v8x7w6k3q0t1r' };
  const made = writeHitToken(KEY, { of, index: 3, links: 5, label: 'Search', block: '', url });
  expect(made.length).toBeLessThan(url.length);
});
