// Rendering the HTML of booking-confirmed with five fares, against a function of template literals written for it by hand, with the same
// escaping and the same result; then compiling one template, and checking a folder of 300 templates in three locales.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
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

/** Writes the hand-made function: the fixed pieces of the mail between values that are put in as an author would by hand. */
function byHand(render, data, absolute, escapeHtml) {
  const money = new Intl.NumberFormat('en', { style: 'currency', currency: 'EUR' });
  const full = new Intl.DateTimeFormat('en', { dateStyle: 'full', timeZone: 'Atlantic/Reykjavik' });
  const short = new Intl.DateTimeFormat('en', { timeStyle: 'short', timeZone: 'Atlantic/Reykjavik' });
  const euro = (minor) => escapeHtml(money.format(`${Math.trunc(minor / 100)}.${String(minor % 100).padStart(2, '0')}`));
  const e = escapeHtml;
  // Each value is marked in a rendering; what lies between the marks is fixed.
  const marks = ['SM-77777', 'MARKfrom', 'MARKto', 'MARKpier', 'MARKvessel', 'MARKname', 'MARKlane', 'https://mark.example/manage'];
  const sailing = {
    ...data.sailing,
    from: marks[1],
    to: marks[2],
    pier: marks[3],
    vessel: marks[4],
    boardsAt: '2001-02-03T04:05:00Z',
    departsAt: '2002-03-04T05:06:00Z',
  };
  const marked = {
    ...data,
    passenger: { givenName: marks[5] },
    links: { manage: marks[7] },
    sailing,
    booking: {
      ...data.booking,
      reference: marks[0],
      total: 7654321,
      vehicle: { lane: marks[6], heightCm: 100 },
      fares: [{ label: 'MARKlabel', count: 99991, amount: 1234567 }],
    },
  };
  const html = render({ data: marked, now: 0 });
  const start = html.lastIndexOf('<tr', html.indexOf('MARKlabel'));
  const end = html.indexOf('</tr>', start) + '</tr>\n'.length;
  const values = [
    [marks[0], (d) => e(d.booking.reference)],
    [marks[1], (d) => e(d.sailing.from)],
    [marks[2], (d) => e(d.sailing.to)],
    [marks[3], (d) => e(d.sailing.pier)],
    [marks[4], (d) => e(d.sailing.vessel)],
    [marks[5], (d) => e(d.passenger.givenName ?? 'traveller')],
    [marks[6], (d) => e(d.booking.vehicle.lane)],
    [marks[7], (d) => e(absolute(d.links.manage, 'https://saltmarsh-ferries.example/', ''))],
    [escapeHtml(short.format(new Date('2001-02-03T04:05:00Z'))), (d) => e(short.format(new Date(d.sailing.boardsAt)))],
    [escapeHtml(short.format(new Date('2002-03-04T05:06:00Z'))), (d) => e(short.format(new Date(d.sailing.departsAt)))],
    [escapeHtml(full.format(new Date('2002-03-04T05:06:00Z'))), (d) => e(full.format(new Date(d.sailing.departsAt)))],
    [euro(7654321), (d) => euro(d.booking.total)],
  ];
  const rowValues = [
    ['MARKlabel', (f) => e(f.label)],
    ['99991', (f) => e(String(f.count))],
    [euro(1234567), (f) => euro(f.amount)],
  ];
  // The source of a plain function of template literals, as it would be written.
  const write = (text, list, argument) => {
    let source = text.replace(/[\\`$]/g, '\\$&');
    list.forEach(([mark], i) => (source = source.replaceAll(mark.replace(/[\\`$]/g, '\\$&'), `\${${argument}[${i}](x)}`)));
    return source;
  };
  const row = new Function('r', `return (x) => \`${write(html.slice(start, end), rowValues, 'r')}\``)(rowValues.map(([, get]) => get));
  const page = new Function(
    'v',
    'row',
    `return (x) => \`${write(html.slice(0, start), values, 'v')}\${x.booking.fares.map(row).join('')}${write(html.slice(end), values, 'v')}\``,
  )(
    values.map(([, get]) => get),
    row,
  );
  return page;
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
  const template = project.templates.get('booking-confirmed');
  const render = prepare(compileFolder(project).templates.get('booking-confirmed').programs.get('en')).html;
  const data = structuredClone(template.samples.find((one) => one.name === 'typical').data);
  data.booking.fares = Array.from({ length: 5 }, (_, i) => ({ label: `Fare & ${i}`, count: i + 1, amount: 1200 * (i + 1) }));
  const hand = byHand(render, data, absolute, escapeHtml);
  if (hand(data) !== render({ data, now: 0 })) throw new Error('The hand-written function gives another mail.');

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
    { name: 'render', unit: 'µs', ours: () => time(3000, () => render({ data, now: 0 })), baseline: () => time(3000, () => hand(data)) },
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
