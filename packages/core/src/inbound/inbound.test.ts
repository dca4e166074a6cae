import { authenticate, doubtsOf, hopsOf, languageOf, readInbound, replySubject, splitHtml, splitText, threadOf } from './index.js';
import { readMail } from '../mime/index.js';
import { isWishToLeave } from './words.js';

const email = (fields: Readonly<Record<string, string>>, body = 'Hello.\r\n'): Buffer =>
  Buffer.from(
    `${Object.entries({ From: 'Una Bell <una@post.example>', To: 'tickets@saltmarsh-ferries.example', Subject: 'Scarf', ...fields })
      .map(([name, value]) => `${name}: ${value}\r\n`)
      .join('')}\r\n${body}`,
  );
const read = (fields: Readonly<Record<string, string>>, body?: string, envelopeFrom = 'una@post.example') =>
  readInbound(email(fields, body), envelopeFrom);
const ofHtml = (html: string) => read({ 'Content-Type': 'text/html; charset=utf-8' }, html);

describe('what is read of an email', () => {
  test('people, subject, thread, language, text', () => {
    const found = read(
      {
        From: '=?utf-8?q?Una_B=C3=A9ll?= <una@post.example>',
        To: 'Tickets <tickets@saltmarsh-ferries.example>, "Lost, and found" <lost@saltmarsh-ferries.example>',
        Cc: 'Crew: anna@post.example, (the cook) ben@post.example;',
        'Message-ID': '<3@post.example>',
        'In-Reply-To': '<2@saltmarsh-ferries.example>',
        References: '<1@saltmarsh-ferries.example>\r\n <2@saltmarsh-ferries.example>',
        Date: 'Tue, 10 Mar 2026 09:15:00 +0000',
      },
      'Thank you, is there room for my bicycle?\r\n\r\n-- \r\nUna\r\n',
    );
    expect(found).toMatchObject({
      from: { name: 'Una Béll', address: 'una@post.example' },
      to: [{ address: 'tickets@saltmarsh-ferries.example' }, { name: 'Lost, and found' }],
      cc: [{ address: 'anna@post.example' }, { address: 'ben@post.example' }],
      headerId: '3@post.example',
      answers: ['2@saltmarsh-ferries.example', '1@saltmarsh-ferries.example'],
      sentAt: Date.UTC(2026, 2, 10, 9, 15),
      text: 'Thank you, is there room for my bicycle?',
      signature: 'Una',
      language: 'en',
      noAnswer: undefined,
      suspicious: [],
    });
  });

  test('files with a hash, and names that lead nowhere', () => {
    const body = [
      '--b',
      'Content-Type: text/plain',
      '',
      'My scarf, in the picture.',
      '--b',
      'Content-Type: image/png; name="../../etc/scarf.png"',
      'Content-Transfer-Encoding: base64',
      'Content-Disposition: attachment; filename="../../etc/scarf.png"',
      '',
      'AAEC',
      '--b--',
      '',
    ].join('\r\n');
    const [file] = read({ 'Content-Type': 'multipart/mixed; boundary=b' }, body).files;
    expect(file).toEqual({
      part: 2,
      name: 'scarf.png',
      type: 'image/png',
      size: 3,
      hash: 'ae4b3280e56e2faf83f414a6e3dabe9d5fbe18976544c05fed121accb85b53fc',
      inline: false,
    });
  });

  test('text of HTML, where it has no other', () => {
    expect(ofHtml('<p>One</p><p>Two<br>three</p>')).toMatchObject({ text: 'One\n\nTwo\nthree', html: '<p>One</p><p>Two<br>three</p>' });
  });

  test.each([
    ['nothing', Buffer.alloc(0)],
    ['zero bytes', Buffer.alloc(1000)],
    ['no header', Buffer.from('\r\n\r\nhello')],
    ['a header without an end', Buffer.from('From: x'.repeat(1000))],
  ])('%s is read, too', (_name, bytes) => {
    expect(readInbound(bytes, '')).toMatchObject({ from: undefined, files: [] });
  });
});

describe('HTML that is shown, stored and passed on', () => {
  test.each([
    ['scripts', '<p>x</p><script>alert(1)</script>', '<p>x</p>'],
    ['handlers', '<p onclick="alert(1)" onmouseover=x>x</p>', '<p>x</p>'],
    [
      'frames and forms',
      '<form action="https://e.example"><p>x</p><input name=a><button>go</button></form><iframe src="x"></iframe>',
      '<p>x</p>',
    ],
    ['pictures of others', '<p>x<img src="https://e.example/t.gif" alt="dot"></p>', '<p>xdot</p>'],
    ['background pictures', '<p style="background:url(https://e.example/t.gif);color:red">x</p>', '<p style="color:red">x</p>'],
    ['where it stands', '<p style="position:fixed;top:0;color:red;z-index:9">x</p>', '<p style="color:red">x</p>'],
    ['escapes in styles', String.raw`<p style="color:\75rl(x);font-weight:bold">x</p>`, '<p style="font-weight:bold">x</p>'],
    ['links that run', '<a href="javascript:alert(1)">x</a>', '<a>x</a>'],
    ['links that run, hidden', '<a href="java&#10;script:alert(1)">x</a>', '<a>x</a>'],
    ['data as a link', '<a href="data:text/html,x">x</a>', '<a>x</a>'],
    ['drawings', '<svg><script>alert(1)</script></svg><p>x</p>', '<p>x</p>'],
    ['formulas', '<math><mtext><img src=x onerror=alert(1)></mtext></math><p>x</p>', '<p>x</p>'],
    ['style sheets', '<style>@import "https://e.example"</style><p class="a" id="b">x</p>', '<p>x</p>'],
    ['what is not shown', '<div style="display:none">secret</div><p>x</p>', '<p>x</p>'],
    ['elements that nobody knows', '<o:p>x</o:p><blink>y</blink>', 'xy'],
    ['a base', '<base href="https://e.example/"><p>x</p>', '<p>x</p>'],
    ['comments', '<!--[if mso]><p>y</p><![endif]--><p>x</p>', '<p>x</p>'],
    ['quotes in attributes', `<p title='"><script>x</script>'>x</p>`, '<p>x</p>'],
    ['templates', '<template><p>y</p></template><p>x</p>', '<p>x</p>'],
  ])('without %s', (_name, html, expected) => {
    expect(splitHtml(html)?.html).toBe(expected);
  });

  test('links and own pictures stay', () => {
    const html = '<a href="https://post.example/a?b=1&amp;c=2">x</a><img src="cid:1@post.example" alt="scarf" onload=x>';
    expect(splitHtml(html)?.html).toBe(
      '<a href="https://post.example/a?b=1&amp;c=2" rel="noopener noreferrer nofollow" target="_blank">x</a><img src="cid:1@post.example" alt="scarf">',
    );
  });

  test('it is the same when it is cleaned again', () => {
    const html = splitHtml('<div><p style="color:red">a &lt;b&gt; & "c"</p><table><tr><td></td><td>d</td></tr></table></div>')?.html ?? '';
    expect(splitHtml(html)?.html).toBe(html);
  });

  test('what nests deeper than people write, or is longer, is no HTML', () => {
    expect(splitHtml('<div>'.repeat(5000))).toBeUndefined();
    expect(splitHtml('x'.repeat(3_000_000))).toBeUndefined();
    const deep = readInbound(email({ 'Content-Type': 'text/html' }, `${'<b>'.repeat(50_000)}My scarf.`), 'a@post.example');
    expect(deep).toMatchObject({ html: undefined, text: 'My scarf.' });
  });
});

describe('what makes one look twice', () => {
  const codes = (found: { readonly suspicious: readonly { readonly code: string }[] }): string[] =>
    found.suspicious.map(({ code }) => code);

  test.each([
    ['a name that shows another address', { From: '"tickets@saltmarsh-ferries.example" <x@elsewhere.example>' }, 'name-shows-address'],
    ['answers that go elsewhere', { 'Reply-To': 'x@elsewhere.example' }, 'reply-elsewhere'],
    ['several authors', { From: 'a@post.example, b@post.example' }, 'several-authors'],
    ['no author', { From: 'nobody' }, 'several-authors'],
    ['letters of two scripts', { From: 'x@p\u043Est.example' }, 'lookalike-host'],
  ])('%s', (_name, fields, code) => {
    expect(codes(read(fields))).toContain(code);
  });

  test.each([
    ['a link that shows another host', '<a href="https://elsewhere.example/x">www.saltmarsh-ferries.example/book</a>', 'link-text'],
    ['scripts', '<script>x</script><p>x</p>', 'active-content'],
    ['a form', '<p>x</p><form><input></form>', 'active-content'],
  ])('%s', (_name, html, code) => {
    expect(codes(ofHtml(html))).toContain(code);
  });

  test.each([
    ['a program', 'tool.exe', 'x', 'dangerous-file'],
    ['two endings', 'ticket.pdf.exe', 'x', 'disguised-file'],
    ['a program that says it is a picture', 'scarf.png', 'MZ\u0090', 'disguised-file'],
    ['a page', 'ticket.html', 'x', 'dangerous-file'],
  ])('a file: %s', (_name, name, content, code) => {
    const body = `--b\r\n\r\nx\r\n--b\r\nContent-Disposition: attachment; filename="${name}"\r\n\r\n${content}\r\n--b--\r\n`;
    expect(codes(read({ 'Content-Type': 'multipart/mixed; boundary=b' }, body))).toEqual([code]);
  });

  test('an ordinary email does not', () => {
    expect(
      codes(ofHtml('<p>See <a href="https://www.post.example/a">post.example/a</a> or <a href="https://post.example">here</a>.</p>')),
    ).toEqual([]);
  });

  test('an author who is not proven, where the domain asks for proof', async () => {
    const records: Readonly<Record<string, string>> = {
      '_dmarc.post.example': 'v=DMARC1; p=reject',
      'post.example': 'v=spf1 ip4:192.0.2.1 -all',
    };
    const ask = (name: string, type: string) => {
      const text = type === 'TXT' ? records[name] : undefined;
      return Promise.resolve(text === undefined ? { status: 'none' as const } : { status: 'found' as const, records: [text] });
    };
    const transport = { bytes: email({}), envelopeFrom: 'una@post.example', hello: 'mx.post.example' };
    const by = (address: string) => authenticate({ ...transport, address }, { author: 'post.example', ask: ask, seconds: 0 });
    const good = await by('192.0.2.1');
    expect(good).toMatchObject({ spf: { result: 'pass', domain: 'post.example' }, dkim: [], dmarc: { result: 'pass', policy: 'reject' } });
    expect(doubtsOf(good, 'post.example')).toEqual([]);
    const bad = await by('192.0.2.9');
    expect(bad).toMatchObject({ spf: { result: 'fail' }, dmarc: { result: 'fail' } });
    expect(doubtsOf(bad, 'post.example')).toEqual([{ code: 'not-authentic', text: expect.stringMatching(/post\.example/) }]);
  });
});

describe('no automatic answer (RFC 3834)', () => {
  test.each<[string, Readonly<Record<string, string>>, string]>([
    ['to a null path', {}, ''],
    ['to a program', { 'Auto-Submitted': 'auto-replied' }, 'a@post.example'],
    ['to a list', { 'List-Id': '<walks.post.example>' }, 'a@post.example'],
    ['to bulk', { Precedence: 'bulk' }, 'a@post.example'],
    ['to advertising', { 'List-Unsubscribe': '<https://post.example>' }, 'a@post.example'],
    ['to the owner of a list', {}, 'owner-walks@post.example'],
    ['to where nobody reads', {}, 'no-reply@post.example'],
    ['where it is not wanted', { 'X-Auto-Response-Suppress': 'OOF, AutoReply' }, 'a@post.example'],
  ])('%s', (_name, fields, envelopeFrom) => {
    expect(read(fields, undefined, envelopeFrom).noAnswer).toMatch(/\.$/);
  });

  test('to a person there may be one', () => {
    expect(read({ 'Auto-Submitted': 'no' }).noAnswer).toBeUndefined();
    expect(read({ Precedence: 'first-class' }).noAnswer).toBeUndefined();
  });

  test('servers on the way are counted', () => {
    const received = Array.from({ length: 60 }, (_, i) => `Received: from a${i} by b; Tue, 10 Mar 2026 09:15:00 +0000\r\n`).join('');
    expect(hopsOf(readMail(Buffer.from(`${received}Subject: x\r\n\r\n`)))).toBe(60);
  });
});

describe('answers', () => {
  test.each([
    ['Scarf', 'Re: Scarf'],
    ['Re: Scarf', 'Re: Scarf'],
    ['AW: Re: RE[2]: Scarf', 'Re: Scarf'],
    ['回复：围巾', 'Re: 围巾'],
    ['', 'Re:'],
    ['Repair: mast', 'Re: Repair: mast'],
  ])('subject of "%s"', (subject, expected) => {
    expect(replySubject(subject)).toBe(expected);
  });

  test('stand in the thread', () => {
    expect(threadOf({ headerId: '3', references: ['1', '2'], answers: ['2', '1'] })).toEqual({
      inReplyTo: '3',
      references: ['1', '2', '3'],
    });
    expect(threadOf({ headerId: '3', references: [], answers: ['2'] })).toEqual({ inReplyTo: '3', references: ['2', '3'] });
    expect(threadOf({ headerId: undefined, references: ['1'], answers: [] })).toEqual({ inReplyTo: undefined, references: ['1'] });
    const long = Array.from({ length: 50 }, (_, i) => String(i));
    expect(threadOf({ headerId: 'x', references: long, answers: [] }).references).toHaveLength(20);
    expect(threadOf({ headerId: 'x', references: long, answers: [] }).references[0]).toBe('0');
  });
});

test.each([
  'Unsubscribe',
  ' stop. ',
  'STOP!',
  'Bitte abmelden',
  'désabonner',
  'Darme de baja.',
  '配信停止',
  '退订',
  'إلغاء الاشتراك',
  'wypisz mnie',
])('"%s" is the wish to leave', (text) => {
  expect(isWishToLeave(text)).toBe(true);
  expect(read({}, `${text}\r\n\r\n> old\r\n`).asksToLeave).toBe(true);
});

test.each(['Please do not stop the ferry.', 'Where do I unsubscribe?', 'Is this the last stop', ''])('"%s" is not', (text) => {
  expect(isWishToLeave(text)).toBe(false);
});

test.each([
  ['Thank you, we will be four people and a dog.', 'en'],
  ['Vielen Dank, wir sind jetzt doch zu viert.', 'de'],
  ['Merci beaucoup, nous serons finalement quatre.', 'fr'],
  ['Muchas gracias, al final seremos cuatro.', 'es'],
  ['Obrigado, não sabemos quando é a partida.', 'pt'],
  ['Grazie, alla fine saremo in quattro e non in tre.', 'it'],
  ['Bedankt, we zijn toch met vier personen en een hond.', 'nl'],
  ['Dziękuję, będziemy jednak we czwórkę.', 'pl'],
  ['Takk fyrir, við erum fjögur og það er í lagi.', 'is'],
  ['Спасибо, нас будет четверо.', 'ru'],
  ['ありがとうございます。四人になりました。', 'ja'],
  ['谢谢，我们一共四个人。', 'zh'],
  ['감사합니다. 네 명이 됩니다.', 'ko'],
  ['شكرا، سنكون أربعة أشخاص.', 'ar'],
  ['Teşekkürler, dört kişi olacağız ve bir köpek.', 'tr'],
  ['SM-4471', undefined],
])('"%s" is in %s', (text, language) => {
  expect(languageOf(text)).toBe(language);
});

test('splitting takes time in proportion to the text', () => {
  const hostile = [
    'On 1 Jan 2026 at 09:15 a@b.example\n'.repeat(20_000),
    `${'>'.repeat(200_000)}\n`,
    'From: x\n'.repeat(30_000),
    `${'a'.repeat(250_000)}:`,
    '-- \n'.repeat(60_000),
  ];
  for (const text of hostile) expect(splitText(text)).toBeDefined();
  for (const html of [
    '<br>'.repeat(15_000),
    '<b><i>x'.repeat(150),
    '<blockquote>'.repeat(300),
    `<pre>${'a\n'.repeat(19_000)}</pre>`,
    `<a ${'x=1 '.repeat(100_000)}>y</a>`,
    '<p style="color:red">x'.repeat(5000),
  ])
    expect(splitHtml(html)).toBeDefined();
});
