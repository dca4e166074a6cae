import { describe, expect, test } from '@jest/globals';
import { linkFolder } from '../folder/index.js';
import { compileFolder } from '../program/index.js';
import { adviseFolder, withoutSilenced } from './index.js';

// What a specialist would say of a mail, and what not.
const NOW = Date.parse('2026-12-03T09:00:00Z');

function codesOf(files: Record<string, string>): string[] {
  const all: Record<string, string> = {
    'mail.yaml': 'name: T\nbaseUrl: https://host.example/\ntopics:\n  news: { label: News, purpose: optional }\n',
    'templates/t/data.schema.json': '{"type":"object"}',
    'templates/t/samples/s.json': '{}',
    ...files,
  };
  const project = linkFolder(new Map(Object.entries(all).map(([path, text]) => [path, Buffer.from(text)])));
  const compiled = compileFolder(project);
  const problems = [...compiled.problems, ...adviseFolder(project, compiled, NOW)];
  return withoutSilenced(problems, project, compiled.templates.values()).problems.map(({ code, message }) => `${code}: ${message}`);
}

const FRONT = 'subject: "Your booking"\npreview: "It is confirmed."';
const WORDS = '<p>Your crossing from Brackwater to Tern Island is booked.</p>';
const page = (body: string, head = ''): string =>
  `---\n${FRONT}\n---\n<!DOCTYPE html><html><head><meta name="viewport" content="width=device-width"><title>T</title>${head}</head><body>${WORDS}${body}</body></html>`;
const own = (body: string, head = ''): Record<string, string> => ({ 'templates/t/message.html': page(body, head) });
const markdown = (body: string, front = FRONT, more: Record<string, string> = {}): Record<string, string> => ({
  'templates/t/message.md': `---\n${front}\n---\n${body}`,
  ...more,
});

describe('each fault of a mail is reported', () => {
  const styled = (style: string, tag = 'p'): Record<string, string> => own(`<${tag} style="${style}">x</${tag}>`);
  const cases: readonly (readonly [code: string, words: string, files: Record<string, string>])[] = [
    [
      'pictures-only',
      'without its pictures',
      { 'templates/t/message.html': page('').replace(WORDS, '<img src="https://host.example/a.png" alt="All that we say" width="600">') },
    ],
    ['picture-width', 'no width', own('<img src="https://host.example/a.png" alt="A boat">')],
    ['picture-alt', 'no alt text', own('<img src="https://host.example/a.png" width="9">')],
    ['picture-format', 'SVG', own('<img src="https://host.example/a.svg" alt="A boat" width="9">')],
    ['picture-format', 'a.webp', own('<img src="https://host.example/a.webp" alt="A boat" width="9">')],
    ['link-plain', 'not encrypted', own('<a href="http://host.example/x">Your booking</a>')],
    ['link-text', 'name host.example', own('<a href="https://other.test/x">https://host.example/x</a>')],
    ['link-text', 'name harbour.example', markdown('[harbour.example](https://elsewhere.test/)')],
    ['link-ip', '192.0.2.7', own('<a href="https://192.0.2.7/x">Your booking</a>')],
    ['link-short', 'bit.ly', own('<a href="https://bit.ly/x">Your booking</a>')],
    ['link-local', 'this machine', own('<a href="http://localhost:3000/">Your booking</a>')],
    ['link-words', 'does not say', own('<a href="/x">click here</a>')],
    ['link-silent', 'no words', own('<a href="/x"><img src="https://host.example/a.png" alt="" width="9"></a>')],
    ['video', '<video>', own('<video src="https://host.example/a.mp4"></video>')],
    ['type-small', '10 px', styled('font-size:10px')],
    ['type-hidden', 'no size', styled('font-size:0')],
    ['table-role', 'lays out', own('<table><tr><td><p>x</p></td></tr></table>')],
    ['table-headings', 'no headings', own('<table><tr><td>Day</td><td>Time</td></tr><tr><td>Mon</td><td>8:15</td></tr></table>')],
    ['wide', '700 px', own('<table role="presentation" width="700"><tr><td>x</td></tr></table>')],
    ['wide', '900 px', styled('width:900px', 'div')],
    ['style-large', 'bytes in all', own('', `<style>${'.x:hover{color:#123456}'.repeat(900)}</style>`)],
    ['viewport-missing', 'viewport', { 'templates/t/message.html': page('').replace(/<meta[^>]*>/, '') }],
    ['dark-scheme', 'rules for the dark', own('', '<style>@media (prefers-color-scheme:dark){p{color:#fff}}</style>')],
    ['external-style', 'from elsewhere', own('', '<link rel="stylesheet" href="https://fonts.test/a.css">')],
    ['external-style', 'from elsewhere', own('', '<style>@import url(https://fonts.test/a.css);</style>')],
    [
      'preview-twice',
      'a preview line already',
      { 'templates/t/message.html': page('').replace('<body>', '<body><div style="display:none">Hidden words of the author</div>') },
    ],
    ['block-verbatim', '"action" is a block', own('\n::action "Go" to="/x"\n')],
    ['block-verbatim', '"notice" is a block', own('\n:::notice\nx\n:::\n')],
    ['sender-noreply', 'Nobody reads', markdown('Hello there.', `${FRONT}\nsender: "T <noreply@host.example>"`)],
    ['sender-noreply', 'Nobody reads', markdown('Hello there.', FRONT, { 'mail.yaml': 'name: T\nsender: do-not-reply@host.example\n' })],
    ['no-unsubscribe', 'needs a way', markdown('The bus stop is at the pier.', `${FRONT}\ntopic: news`)],
    ['no-unsubscribe', 'needs a way', markdown('[Bus stop](/stop-here)', `${FRONT}\ntopic: news`)],
    ['filter-words', 'word that filters', markdown('x', 'subject: "100% free today"\npreview: "p"')],
    [
      'css-syntax',
      'notacolor',
      markdown('x', FRONT, { 'mail.yaml': 'name: T\nstyles: [styles/x.css]\n', 'styles/x.css': 'p { color: notacolor }' }),
    ],
    [
      'css-syntax',
      'no selector',
      markdown('x', FRONT, { 'mail.yaml': 'name: T\nstyles: [styles/x.css]\n', 'styles/x.css': 'p, a:wrong { color: red }' }),
    ],
    [
      'css-support',
      'position',
      markdown('x', FRONT, { 'mail.yaml': 'name: T\nstyles: [styles/x.css]\n', 'styles/x.css': 'p { position: absolute }' }),
    ],
    ['silence-unused', 'any more', markdown('x', `${FRONT}\nsilence: { link-ip: "The office." }`)],
    [
      'silence-error',
      'cannot be silenced',
      {
        'mail.yaml': 'name: T\nbaseUrl: https://host.example/\nsilence:\n  block-verbatim: "So be it."\n',
        ...own('\n::action "Go" to="/x"\n'),
      },
    ],
    ['front-value', 'with the reason', markdown('x', `${FRONT}\nsilence: css-support`)],
    ...(
      [
        ['margin:-8px', 'margin: -8px'],
        ['max-width:300px', 'max-width'],
        ['border-radius:4px', 'corners are square'],
        ['color:oklch(60% 0.1 20)', 'no colour'],
        ['color:hsl(20, 50%, 50%)', 'no colour'],
        ['color:#12345678', 'another one, or none'],
        ['color:rgb(1 2 3)', 'no colour'],
        ['background:linear-gradient(red,blue)', 'plain background colour'],
        ['background-image:url(https://host.example/a.png)', 'plain background colour'],
        ['display:flex', 'under each other'],
        ['display:grid', 'under each other'],
        ['gap:8px', 'no gap'],
        ['float:left', 'line of its own'],
        ['opacity:0.5', 'opaque'],
        ['width:calc(100% - 4px)', 'dropped'],
        ['font-size:2rem', 'usual one'],
        ['transform:rotate(3deg)', 'turns or grows'],
        ['animation:x 1s', 'moves'],
        ['box-shadow:0 0 3px #000000', 'no shadow'],
        ['object-fit:cover', 'stretched'],
        ['margin-inline:4px', 'dropped'],
        ['filter:blur(2px)', 'no filter'],
        ['position:relative', 'text flow'],
        ['line-height:1.4', 'rounded'],
      ] as const
    ).map(([style, words]) => ['css-support', words, styled(style)] as const),
    ['css-support', 'no room around it', own('<a href="/x" style="padding:12px">Your booking</a>')],
  ];
  test('there are sixty of them at least', () => {
    expect(cases.length).toBeGreaterThanOrEqual(60);
  });
  test.each(cases)('%s: %s', (code, words, files) => {
    const said = codesOf(files).filter((line) => line.startsWith(`${code}: `));
    expect(said.join('\n')).toContain(words);
  });
});

describe('nothing is said of what is in order', () => {
  const GOOD: readonly (readonly [string, Record<string, string>])[] = [
    ['plain words', markdown('Hello there.')],
    ['a heading and a list', markdown('# Booked\n\n- One\n- Two')],
    ['a button', markdown('::action "Change this booking" to="/x"')],
    ['facts', markdown(':::facts\n- Vessel: MV Curlew\n:::')],
    ['a ledger', markdown(':::ledger "Fares"\n# Fare | Price\n- Adult | €48.00\n= Total | €48.00\n:::')],
    ['a ledger without headings', markdown(':::ledger\n- Adult | €48.00\n:::')],
    ['steps', markdown(':::steps at={{ 1 }}\n- Booked\n- At sea\n:::')],
    ['a notice', markdown(':::notice tone=warning\nThe ramp is closed.\n:::')],
    ['lanes', markdown(':::lanes\n:::lane\nOne.\n:::\n:::lane\nTwo.\n:::\n:::')],
    ['a card, small print and an address', markdown(':::card\nHello.\n:::\n\n:::postal\nPier 1\n:::\n\n:::fineprint\nWe.\n:::')],
    ['cotton', markdown('Hello there.', 'subject: "A shirt of 100% cotton"\npreview: "It is on its way."')],
    ['a link by its own name', markdown('See [host.example](https://www.host.example/x).')],
    ['a way to stop it', markdown('[Stop these mails]({{ mail.unsubscribe }})', `${FRONT}\ntopic: news`)],
    ['a bus stop in an essential mail', markdown('The bus stop is at the pier: [bus stop](/pier).')],
    ['own HTML', own('')],
    ['decoration', own('<img src="https://host.example/a.png" alt="" width="20" height="4">')],
    ['a layout table with a role', own('<table role="presentation" width="100%"><tr><td style="padding:8px">x</td></tr></table>')],
    ['a table of data', own('<table><tr><th scope="col">Day</th><th scope="col">Time</th></tr><tr><td>Mon</td><td>8:15</td></tr></table>')],
    [
      'a gradient with a colour before it',
      own(
        '<table role="presentation"><tr><td style="background:#333333;background:linear-gradient(#333333,#555555)"><b style="color:#ffffff">x</b></td></tr></table>',
      ),
    ],
    [
      'a preview line of the author',
      {
        'templates/t/message.html': page('')
          .replace('<body>', '<body><div style="display:none;opacity:0;max-height:0;mso-hide:all">It is confirmed.</div>')
          .replace('preview: "It is confirmed."\n', ''),
      },
    ],
    [
      'a record that is given to a block',
      {
        ...markdown(':::who person={{ person }}\n:::'),
        'blocks/who.md':
          '---\ninputs:\n  person:\n    type: object\n    required: [name]\n    properties: { name: { type: string }, age: { type: integer } }\n---\n{{ person.name }}\n\n::content\n',
        'templates/t/data.schema.json':
          '{"type":"object","required":["person"],"properties":{"person":{"type":"object","required":["name"],"properties":{"name":{"type":"string"},"age":{"type":"integer"}}}}}',
        'templates/t/samples/s.json': '{"person":{"name":"Ása"}}',
      },
    ],
    [
      'dark rules that say so',
      own('', '<meta name="color-scheme" content="light dark"><style>@media (prefers-color-scheme:dark){p{color:#fff}}</style>'),
    ],
    [
      'what is silenced with a reason',
      {
        ...own('<p style="border-radius:4px">x</p>'),
        'mail.yaml': 'name: T\nbaseUrl: https://host.example/\nsilence:\n  css-support: "Square corners are fine."\n',
      },
    ],
  ];
  test.each(GOOD)('%s', (_name, files) => {
    expect(codesOf(files).filter((line) => !line.startsWith('preview-missing'))).toEqual([]);
  });
});
