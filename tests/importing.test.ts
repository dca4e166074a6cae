import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { runHere } from './support/cli.js';
import { ROOT, temporaryFolder } from './support/service.js';

const { path, remove } = temporaryFolder();
afterAll(remove);
const mail = join(path, 'mail');
const PAGES = join(ROOT, 'tests/pages');

async function verbalis(...args: readonly string[]): Promise<{ status: number | null; stdout: string; stderr: string }> {
  const { code, out, notes } = await runHere(args, { env: process.env });
  return { status: code, stdout: out, stderr: notes };
}
const importing = (page: string, name: string, ...more: readonly string[]): ReturnType<typeof verbalis> =>
  verbalis('import', page, '--into', join(mail, 'templates', name), '--json', ...more);

interface Result {
  readonly result: {
    readonly values: Readonly<Record<string, number>>;
    readonly files: readonly string[];
    readonly notes: readonly { readonly line: number; readonly message: string }[];
    readonly problems: readonly { readonly code: string; readonly severity: string }[];
  };
}

beforeAll(async () => {
  expect((await verbalis('init', mail)).status).toBe(0);
  writeFileSync(join(mail, 'mail.yaml'), 'name: Saltmarsh\nbaseUrl: https://saltmarsh-ferries.example/\n');
});

/** A page with its placeholders replaced. */
function filled(page: string, pattern: RegExp, value: (name: string) => string): string {
  return page.replace(pattern, (_whole, name: string) => value(name.replace(/[^\w.]/g, '_')));
}

const at = (data: unknown, name: string): string =>
  String(name.split('.').reduce<unknown>((value, step) => (value as Record<string, unknown> | undefined)?.[step], data));

describe.each([
  ['receipt', '%name%', /%([a-z][\w.-]*)%/g, 58],
  ['newsletter', '[[name]]', /\[\[ ?([\w.]+) ?\]\]/g, 52],
  ['arabic', '${name}', /\$\{(\w+)\}/g, 50],
  ['reminder', '@@name@@', /@@(\w+)@@/g, 41],
  ['dark', '#(name)', /#\( ?([\w.-]+) ?\)/g, 39],
])('%s.html', (name, placeholder, pattern, count) => {
  const page = readFileSync(join(PAGES, `${name}.html`), 'utf8');
  const read = (file: string): string => readFileSync(join(mail, 'templates', name, file), 'utf8');
  /** Four braces are two that are shown; pictures become assets. */
  const assets = (text: string, from: string): string =>
    text.replace(
      /(?<=src="?)(?:img\/vessel\.png|data:image\/png;base64,[\w+/=]+)/g,
      (address) => `${from}assets/${address.startsWith('img') ? 'vessel' : 'picture'}.png`,
    );

  test('is the same but for its placeholders, pictures and braces', async () => {
    const { status, stdout } = await importing(join(PAGES, `${name}.html`), name, '--placeholder', placeholder);
    const { result } = JSON.parse(stdout) as Result;
    expect({ status, errors: result.problems.filter(({ severity }) => severity === 'error') }).toEqual({ status: 0, errors: [] });
    expect(Object.values(result.values).reduce((sum, times) => sum + times, 0)).toBe([...page.matchAll(pattern)].length);
    expect(Object.keys(result.values).length).toBeGreaterThan(count / 2);
    const source = read('message.html');
    const written = filled(assets(page.replaceAll('{{', '{{{{'), ''), pattern, (value) => `{{ ${value} }}`);
    expect(source.slice(source.indexOf('---\n', 4) + 4)).toBe(written);
  });

  test('renders what the page was, byte for byte, with the values of the sample', async () => {
    const data: unknown = JSON.parse(read('samples/typical.json'));
    const { stdout } = await verbalis('render', mail, name, '--part', 'html');
    const wanted = filled(assets(page, 'https://saltmarsh-ferries.example/'), pattern, (value) => at(data, value));
    // Mail has line ends of its own, and an address that changes gets quotes.
    expect(stdout.trimEnd()).toBe(
      wanted
        .replaceAll('\r\n', '\n')
        .replace(/src=(https:\S+)/g, 'src="$1"')
        .trimEnd(),
    );
  });
});

test('what cannot be converted is listed with its line, and the rest is', async () => {
  const page = join(path, 'odd.html');
  writeFileSync(
    page,
    '<html lang="en" dir="ltr"><head><title>%a%</title><link rel="stylesheet" href="none.css"></head>\n<body>\n<img src="none.png" alt="">\n<p style="background:url(x.png)">%if% %a-b% %a_b% %x% %x.y%</p>\n{{ other }}\n:::\n</body></html>\n',
  );
  const { status, stdout } = await importing(page, 'odd', '--placeholder', '%name%');
  const { result } = JSON.parse(stdout) as Result;
  expect(status).toBe(1);
  expect(result.notes.map(({ line, message }) => `${line}: ${message}`)).toEqual([
    expect.stringMatching(/^1: The style sheet "none.css" is not loaded by mail clients/),
    expect.stringMatching(/^3: There is no file "none.png" beside the page/),
    expect.stringMatching(/^4: .*background|^4: The picture in this style/),
    expect.stringMatching(/^4: "a_b" and "a-b" both became "a_b"/),
    expect.stringMatching(/^4: "x" is a value here and a record of values elsewhere/),
    expect.stringMatching(/^5: These braces stay as text/),
    expect.stringMatching(/^6: This line begins like a directive/),
  ]);
  expect(Object.keys(result.values)).toEqual(expect.arrayContaining(['if_', 'a_b']));
});

test('files that exist stay, unless they are to be replaced; nothing outside of the page’s folder is read', async () => {
  const again = await importing(join(PAGES, 'dark.html'), 'receipt', '--placeholder', '#(name)');
  expect(again).toMatchObject({ status: 1, stdout: expect.stringContaining('"templates/receipt/message.html"') });
  expect((await importing(join(PAGES, 'receipt.html'), 'receipt', '--placeholder', '%name%')).status).toBe(0);
  writeFileSync(join(path, 'secret.png'), 'secret');
  const page = join(path, 'pages.html');
  writeFileSync(
    page,
    '<html lang="en"><title>T</title><body><img src="../secret.png" alt=""><img src="%2e%2e/secret.png" alt=""></body></html>',
  );
  const { result } = JSON.parse((await importing(page, 'outside')).stdout) as Result;
  expect(result.files).toHaveLength(3);
  expect(result.notes).toHaveLength(2);
});

test.each([
  [['--placeholder', 'name'], 'needs signs before and after'],
  [['--placeholder', '%value%'], 'does not say where the name of a value is'],
  [['--placeholder', '%xname%'], 'could be part of a name'],
])('a wrong pattern is refused: %s', async (args, message) => {
  expect(await importing(join(PAGES, 'dark.html'), 'wrong', ...args)).toMatchObject({
    status: 2,
    stdout: expect.stringContaining(message),
  });
});

test('a page that is not there, is not UTF-8, or goes into no mail folder is refused', async () => {
  expect(await importing(join(path, 'none.html'), 'x')).toMatchObject({ status: 2, stdout: expect.stringContaining('cannot be read') });
  const latin = join(path, 'latin.html');
  writeFileSync(latin, Buffer.from('<p>caf\u00e9</p>', 'latin1'));
  expect(await importing(latin, 'x')).toMatchObject({ status: 2, stdout: expect.stringContaining('is not UTF-8') });
  expect(await verbalis('import', latin, '--into', join(path, 'x'), '--json')).toMatchObject({
    status: 2,
    stdout: expect.stringContaining('is not the folder of a template in a mail folder'),
  });
});
