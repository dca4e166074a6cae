// Rendering each email of the demo, HTML and text, against functions that an author would write by hand for it, with the same escaping and
// the same result; then compiling one template, and checking a folder of 300 templates in three locales.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { HANDS, htmlByHand } from './support/by-hand.mjs';
import { root } from './support/processes.mjs';

const core = (door) => import(join(root, `packages/core/dist/${door}/index.js`));

function read(folder) {
  const files = new Map();
  for (const entry of readdirSync(folder, { recursive: true, withFileTypes: true })) {
    if (entry.isFile())
      files.set(join(entry.parentPath, entry.name).slice(folder.length + 1), readFileSync(join(entry.parentPath, entry.name)));
  }
  return files;
}

function time(times, run) {
  const from = performance.now();
  for (let i = 0; i < times; i += 1) run(i);
  return ((performance.now() - from) * 1000) / times;
}

export default async function bench() {
  const [{ linkFolder }, { compileFolder }, { prepare, absolute, escapeHtml }, { adviseFolder }] = [
    await core('folder'),
    await core('program'),
    await core('render'),
    await core('check'),
  ];
  const demo = read(join(root, 'demo/mail'));
  const project = linkFolder(demo);
  const compiled = compileFolder(project).templates;
  const now = Date.parse('2026-12-01T08:00:00Z');
  const emails = Object.entries(HANDS).map(([name, hand]) => {
    const renderer = prepare(compiled.get(name).programs.get('en'));
    const data = structuredClone(project.templates.get(name).samples.find((sample) => sample.name === 'typical').data);
    if (name === 'booking-confirmed')
      data.booking.fares = Array.from({ length: 5 }, (_, i) => ({ label: `Fare & ${i}`, count: i + 1, amount: 1200 * (i + 1) }));
    const htmlOf = htmlByHand(hand, (marked) => renderer.html({ data: marked, now }), {
      escape: escapeHtml,
      url: (link) => absolute(link, 'https://saltmarsh-ferries.example/', ''),
      now,
    });
    const ours = { html: () => renderer.html({ data, now }), text: () => renderer({ data, now }).text };
    const theirs = { html: () => htmlOf(data), text: () => hand.text(data, now) };
    for (const part of ['html', 'text']) {
      const [made, wanted] = [theirs[part](), ours[part]()];
      let at = 0;
      while (at < wanted.length && made[at] === wanted[at]) at += 1;
      if (made !== wanted)
        throw new Error(
          `The hand-written ${part} of ${name} differs: ${JSON.stringify(made.slice(at - 40, at + 60))} for ${JSON.stringify(wanted.slice(at - 40, at + 60))}`,
        );
    }
    return {
      name,
      ours,
      theirs,
      whole: () => renderer({ data, now }),
      byHand: () => ({ html: theirs.html(), text: theirs.text() }),
    };
  });
  // Files of one template alone, and of many copies of it, each with sources in three locales.
  const one = new Map([...demo].filter(([path]) => !path.startsWith('templates/') || path.startsWith('templates/booking-confirmed/')));
  const many = (count) => {
    const out = new Map([...demo].filter(([path]) => !path.startsWith('templates/') && !path.startsWith('strings/')));
    for (const locale of ['en', 'fr', 'de']) out.set(`strings/${locale}.json`, demo.get(`strings/${locale}.json`));
    for (let i = 0; i < count; i += 1) {
      for (const [path, bytes] of demo) {
        if (!path.startsWith('templates/sailing-cancelled/')) continue;
        // No two templates are the same: nothing that is kept helps.
        const text = bytes.toString('utf8').replaceAll('A crossing that', `Crossing ${i} that`);
        out.set(path.replace('sailing-cancelled', `notice-${i}`), Buffer.from(text));
      }
    }
    return out;
  };
  const linked = linkFolder(one);
  const check = (files) => {
    const linked = linkFolder(files);
    adviseFolder(linked, compileFolder(linked), 0);
  };
  const [half, full] = [many(150), many(300)];
  return [
    // Ours gives subject, preview and the flowed form of the text too.
    {
      name: 'render, all emails of the demo, HTML and text',
      unit: 'µs',
      ours: () => time(1000, () => emails.forEach(({ whole }) => whole())),
      baseline: () => time(1000, () => emails.forEach(({ byHand }) => byHand())),
    },
    ...emails.flatMap(({ name, ours, theirs, whole, byHand }) => [
      { name: `render ${name}, HTML`, unit: 'µs', ours: () => time(3000, ours.html), baseline: () => time(3000, theirs.html) },
      { name: `render ${name}, HTML and text`, unit: 'µs', ours: () => time(3000, whole), baseline: () => time(3000, byHand) },
    ]),
    // With its folder's layout, own blocks and strings, which are compiled with it.
    { name: 'compile one template', unit: 'ms', ours: () => time(20, () => compileFolder(linked)) / 1000 },
    {
      name: 'check 300 templates in 3 locales, against 150',
      unit: 'ms',
      ours: () => time(1, () => check(full)) / 1000,
      baseline: () => time(1, () => check(half)) / 1000,
    },
  ];
}
