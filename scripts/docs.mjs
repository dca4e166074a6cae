// npm run docs: makes the documentation site from docs/*.md: pages with navigation, anchors and a search that needs no server. The service serves it
// at /docs. Fails on a link to a page or heading that does not exist.
import { copyFileSync, cpSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { dirname, join, posix } from 'node:path';
import GithubSlugger from 'github-slugger';
import MarkdownIt from 'markdown-it';
import MiniSearch from 'minisearch';
import { root } from './steps.mjs';

const DOCS = join(root, 'docs');
const OUT = process.argv[2] ?? join(root, 'packages/console/dist/docs');
const SITE = join(root, 'scripts/docs-site');

/** The navigation is the list of pages in docs/index.md. */
export function navigation(index = readFileSync(join(DOCS, 'index.md'), 'utf8')) {
  const groups = [];
  for (const line of index.split('\n')) {
    const heading = /^## (.*)$/.exec(line);
    if (heading) groups.push({ title: heading[1], pages: [] });
    const link = /^( *)- \[(.*?)\]\((.*?)\)/.exec(line);
    if (link) groups.at(-1).pages.push({ title: link[2], file: link[3], isInner: link[1] !== '' });
  }
  return groups;
}

const pageOf = (file) => file.replace(/\.md$/, '.html');
const escape = (text) => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');
const markdown = new MarkdownIt({ html: false, linkify: false });

/** A page: its HTML, its headings, and the text below each for the search. */
function read(file) {
  const source = readFileSync(join(DOCS, file), 'utf8').replace(/<!--[\s\S]*?-->\n*/g, '');
  const tokens = markdown.parse(source, {});
  const slugger = new GithubSlugger();
  const sections = [];
  const links = [];
  for (const [i, token] of tokens.entries()) {
    if (token.type === 'heading_open') {
      const text = tokens[i + 1].children.map(({ content }) => content).join('');
      const id = slugger.slug(text);
      token.attrSet('id', id);
      sections.push({ id, level: Number(token.tag.slice(1)), text, words: [] });
    } else if (token.type === 'inline') {
      if (tokens[i - 1]?.type !== 'heading_open') sections.at(-1)?.words.push(token.content);
      for (const child of token.children) {
        const at = child.type === 'link_open' ? 'href' : child.type === 'image' ? 'src' : undefined;
        if (at !== undefined) links.push({ token: child, at, target: child.attrGet(at) });
      }
    } else if (token.type === 'fence') sections.at(-1)?.words.push(token.content);
    // What a block is for is for its test.
    if (token.type === 'fence') token.info = token.info.split(' ')[0];
  }
  return { file, tokens, sections, links, title: sections[0]?.text ?? file };
}

const groups = navigation();
const files = ['index.md', ...groups.flatMap(({ pages }) => pages.map(({ file }) => file))];
const pages = new Map(files.map((file) => [file, read(file)]));
const faults = [];

/** Where a link leads on the site; what is outside of the documentation is named by its path. */
function resolve(page, { target }) {
  if (/^(?:https?:|mailto:)/.test(target)) return target;
  const [path, anchor] = target.split('#');
  const file = path === '' ? page.file : posix.normalize(posix.join(posix.dirname(page.file), path));
  const other = pages.get(file);
  if (other !== undefined) {
    if (anchor !== undefined && !other.sections.some(({ id }) => id === anchor)) faults.push(`${page.file}: ${target} names no heading`);
    return `${posix.relative(posix.dirname(page.file), pageOf(file)) || pageOf(posix.basename(file))}${anchor === undefined ? '' : `#${anchor}`}`;
  }
  if (!existsSync(join(DOCS, file))) faults.push(`${page.file}: ${target} does not exist`);
  if (/\.(?:png|json|svg)$/.test(file) && !file.startsWith('..')) return target;
  return undefined;
}

for (const page of pages.values())
  for (const link of page.links) {
    const href = resolve(page, link);
    if (href !== undefined) link.token.attrSet(link.at, href);
    else {
      // A file of the repository: its name is shown, and leads nowhere on this site.
      link.token.attrs = [['title', `in the repository: ${posix.normalize(posix.join('docs', posix.dirname(page.file), link.target))}`]];
    }
  }
if (faults.length > 0) {
  console.error(faults.join('\n'));
  process.exit(1);
}

function nav(current) {
  const up = posix.relative(posix.dirname(current), '.') || '.';
  return groups
    .map(
      ({ title, pages: own }) =>
        `<h2>${escape(title)}</h2><ul>${own
          .map(
            ({ title: text, file, isInner }) =>
              `<li${isInner ? ' class="inner"' : ''}><a href="${up}/${pageOf(file)}"${file === current ? ' aria-current="page"' : ''}>${escape(text)}</a></li>`,
          )
          .join('')}</ul>`,
    )
    .join('');
}

function html({ file, tokens, sections, title }) {
  const up = posix.relative(posix.dirname(file), '.') || '.';
  const inner = sections.filter(({ level }) => level === 2);
  const contents =
    inner.length < 2 || file === 'index.md'
      ? ''
      : `<aside aria-label="On this page"><h2>On this page</h2><ul>${inner.map(({ id, text }) => `<li><a href="#${id}">${escape(text)}</a></li>`).join('')}</ul></aside>`;
  const body = markdown.renderer
    .render(tokens, markdown.options, {})
    .replaceAll('<table>', '<div class="wide" tabindex="0"><table>')
    .replaceAll('</table>', '</table></div>')
    // A column without a name has no head; what scrolls can be reached by the keyboard.
    .replaceAll('<th></th>', '<td></td>')
    .replaceAll('<pre>', '<pre tabindex="0">');
  return `<!doctype html>
<html lang="en" data-root="${up}">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escape(title)}${file === 'index.md' ? '' : ' · Verbalis'}</title>
<link rel="stylesheet" href="${up}/site.css">
<script src="${up}/minisearch.js" defer></script>
<script src="${up}/site.js" defer></script>
</head>
<body>
<a class="skip" href="#content">Skip to the content</a>
<header><a class="home" href="${up}/index.html">Verbalis</a>
<form role="search"><input id="search" type="search" placeholder="Search" aria-label="Search the documentation" autocomplete="off" aria-controls="found"><ol id="found" hidden></ol></form>
</header>
<div class="frame">
<details class="menu" open><summary>All pages</summary><nav aria-label="Pages">${nav(file)}</nav></details>
<main id="content">${body}</main>
${contents}
</div>
</body>
</html>
`;
}

rmSync(OUT, { recursive: true, force: true });
const documents = [];
for (const page of pages.values()) {
  const path = join(OUT, pageOf(page.file));
  mkdirSync(dirname(path), { recursive: true });
  writeFileSync(path, html(page));
  // A long section is found by its first words; its heading counts more.
  for (const { id, text, words } of page.sections)
    documents.push({
      id: documents.length,
      url: `${pageOf(page.file)}#${id}`,
      page: page.title,
      heading: text,
      text: words.join(' ').slice(0, 4000),
    });
}
const search = new MiniSearch({ fields: ['heading', 'page', 'text'], storeFields: ['url', 'page', 'heading'] });
search.addAll(documents);
writeFileSync(join(OUT, 'search.json'), JSON.stringify(search));
for (const name of ['site.css', 'site.js']) copyFileSync(join(SITE, name), join(OUT, name));
copyFileSync(join(root, 'node_modules/minisearch/dist/umd/index.js'), join(OUT, 'minisearch.js'));
cpSync(join(DOCS, 'screenshots'), join(OUT, 'screenshots'), { recursive: true });
for (const name of readdirSync(join(DOCS, 'reference')).filter((file) => file.endsWith('.schema.json')))
  copyFileSync(join(DOCS, 'reference', name), join(OUT, 'reference', name));
console.error(`${pages.size} pages, ${documents.length} sections, in ${OUT}`);
