// The emails of the demo as functions that an author would write by hand in their place: template literals for the HTML, lines for the text,
// with the same escaping and the same result. What a template decides (if there is a vehicle, a picture) is not decided here: it is as in the
// sample, which makes these functions faster than real ones.

const ZONE = 'Atlantic/Reykjavik';
const formats = new Map();
const kept = (key, make) => {
  const found = formats.get(key);
  if (found !== undefined) return found;
  const made = make();
  formats.set(key, made);
  return made;
};
const dateFormat = (key, options) => {
  const format = kept(key, () => new Intl.DateTimeFormat('en', options));
  return (text) => format.format(new Date(text));
};
const money = (currency) => {
  const format = kept(currency, () => new Intl.NumberFormat('en', { style: 'currency', currency }));
  const digits = format.resolvedOptions().maximumFractionDigits;
  return (minor) =>
    format.format(
      digits === 0
        ? minor
        : `${minor < 0 ? '-' : ''}${Math.trunc(Math.abs(minor) / 100)}.${String(Math.abs(minor) % 100).padStart(2, '0')}`,
    );
};
const euro = money('EUR');
const krona = money('ISK');
const day = dateFormat('long', { dateStyle: 'long', timeZone: ZONE });
const fullDay = dateFormat('full', { dateStyle: 'full', timeZone: ZONE });
const time = dateFormat('time', { timeStyle: 'short', timeZone: ZONE });
const moment = dateFormat('moment', { dateStyle: 'medium', timeStyle: 'short', timeZone: ZONE });
const fullMoment = dateFormat('fullMoment', { dateStyle: 'full', timeStyle: 'short', timeZone: ZONE });
const metres = (value) =>
  kept('metres', () => new Intl.NumberFormat('en', { minimumFractionDigits: 1, maximumFractionDigits: 1 })).format(value);
const relative = () => kept('relative', () => new Intl.RelativeTimeFormat('en', { numeric: 'auto' }));
const capital = (text) => text.charAt(0).toUpperCase() + text.slice(1);
const DAY_MS = 86_400_000;
const inDays = (text, now) => capital(relative().format(Math.trunc((Date.parse(text) - now) / DAY_MS), 'day'));
const lasting = (minutes) => `${Math.trunc(minutes / 60)} hour ${minutes % 60} minutes`;

const phone = (number) => `${number.slice(0, 4)}\u00a0${number.slice(4, 7)}\u00a0${number.slice(7)}`;

/** Lines of at most 72 letters. */
function wrap(text) {
  if (text.length <= 72) return text;
  const lines = [];
  let line = '';
  for (const word of text.split(' ')) {
    if (line !== '' && line.length + 1 + word.length > 72) {
      lines.push(line);
      line = word;
    } else line = line === '' ? word : `${line} ${word}`;
  }
  return [...lines, line].join('\n');
}
const titled = (text, sign) => `${text}\n${sign.repeat(text.length)}`;
const linked = (label, url) => (label.length + 2 + url.length > 72 ? `${label}:\n${url}` : `${label}: ${url}`);
/** A table whose first column stands at the left and whose others at the right. */
function table(head, rows, total) {
  const all = [...(head === undefined ? [] : [head]), ...rows, ...(total === undefined ? [] : [total])];
  const widths = all[0].map((_, i) => Math.max(...all.map((row) => row[i].length)));
  const line = (row) => row.map((cell, i) => (i === 0 ? cell.padEnd(widths[i]) : cell.padStart(widths[i]))).join('  ');
  const rule = '-'.repeat(widths.reduce((sum, width) => sum + width, 0) + 2 * (widths.length - 1));
  return [...(head === undefined ? [] : [line(head), rule]), ...rows.map(line), ...(total === undefined ? [] : [rule, line(total)])].join(
    '\n',
  );
}

const foot = (mark) =>
  `-- \nYou receive this email because you travel with us or have an account.\nHelp and contact [${mark}]\n\nSaltmarsh Ferries\nPier 1\nBrackwater`;
const HELP = 'https://saltmarsh-ferries.example/help';

/** Values of a marked rendering, which are found in it. */
const WHEN = ['2001-02-03T04:05:00Z', '2002-03-04T05:06:00Z', '2003-04-05T06:07:00Z'];

/**
 * By template: `mark` puts values into its data that stand nowhere else; `values` are these as they are shown, with what an author writes in
 * their place; `rows` are its loops; `text` is its text part.
 */
export const HANDS = {
  'boarding-reminder': {
    mark: () => ({
      passenger: { givenName: 'MARKname', count: 91 },
      sailing: {
        from: 'MARKfrom',
        to: 'MARKto',
        pier: 'MARKpier',
        vessel: 'MARKvessel',
        boardsAt: WHEN[0],
        gateClosesAt: WHEN[1],
        departsAt: WHEN[2],
        minutes: 95,
      },
      links: { ticket: 'https://mark.example/ticket' },
    }),
    values: (e, url, now) => [
      ['MARKname', (d) => e(d.passenger.givenName ?? 'traveller')],
      ['MARKfrom', (d) => e(d.sailing.from)],
      [e(time(WHEN[2])), (d) => e(time(d.sailing.departsAt))],
      ['all 91 of you', (d) => e(d.passenger.count > 1 ? `all ${d.passenger.count} of you` : 'a warm coat')],
      ['MARKto', (d) => e(d.sailing.to)],
      ['MARKpier', (d) => e(d.sailing.pier)],
      ['MARKvessel', (d) => e(d.sailing.vessel)],
      [e(fullDay(WHEN[0])), (d) => e(fullDay(d.sailing.boardsAt))],
      [e(moment(WHEN[2])), (d) => e(moment(d.sailing.departsAt))],
      [e(time(WHEN[0])), (d) => e(time(d.sailing.boardsAt))],
      [e(time(WHEN[1])), (d) => e(time(d.sailing.gateClosesAt))],
      [e(inDays(WHEN[2], now)), (d) => e(inDays(d.sailing.departsAt, now))],
      [e(lasting(95)), (d) => e(lasting(d.sailing.minutes))],
      ['https://mark.example/ticket', (d) => e(url(d.links.ticket))],
    ],
    rows: () => [],
    text: (d, now) => `Saltmarsh Ferries

[${d.sailing.vessel} at sea]

${titled(`See you at the pier, ${d.passenger.givenName ?? 'traveller'}`, '=')}

Be there
--------

${wrap(`${time(d.sailing.boardsAt)}, ${d.sailing.pier}`)}

${wrap(`The gate closes at ${time(d.sailing.gateClosesAt)}.`)}

Bring along
-----------

- your ticket, on paper or on the phone
- ${d.passenger.count > 1 ? `all ${d.passenger.count} of you` : 'a warm coat'}

[x] Booked
[>] Boarding (${fullDay(d.sailing.boardsAt)})
[ ] At sea (${lasting(d.sailing.minutes)})
[ ] ${d.sailing.to}

${wrap(`${inDays(d.sailing.departsAt, now)} we cast off: ${moment(d.sailing.departsAt)}.`)}

${linked('Show my ticket', d.links.ticket)}

${foot(1)}

[1] ${HELP}
`,
  },
  'booking-confirmed': {
    mark: () => ({
      passenger: { givenName: 'MARKname' },
      booking: {
        reference: 'SM-77777',
        currency: 'EUR',
        total: 7654321,
        vehicle: { lane: 'MARKlane', heightCm: 100 },
        fares: [{ label: 'MARKlabel', count: 99991, amount: 1234567 }],
      },
      sailing: { from: 'MARKfrom', to: 'MARKto', pier: 'MARKpier', vessel: 'MARKvessel', boardsAt: WHEN[0], departsAt: WHEN[1] },
      links: { manage: 'https://mark.example/manage' },
    }),
    values: (e, url) => [
      ['SM-77777', (d) => e(d.booking.reference)],
      ['MARKname', (d) => e(d.passenger.givenName ?? 'traveller')],
      ['MARKfrom', (d) => e(d.sailing.from)],
      ['MARKto', (d) => e(d.sailing.to)],
      ['MARKpier', (d) => e(d.sailing.pier)],
      ['MARKvessel', (d) => e(d.sailing.vessel)],
      ['MARKlane', (d) => e(d.booking.vehicle.lane)],
      ['https://mark.example/manage', (d) => e(url(d.links.manage))],
      [e(fullDay(WHEN[1])), (d) => e(fullDay(d.sailing.departsAt))],
      [e(time(WHEN[0])), (d) => e(time(d.sailing.boardsAt))],
      [e(time(WHEN[1])), (d) => e(time(d.sailing.departsAt))],
      [e(euro(7654321)), (d) => e(euro(d.booking.total))],
    ],
    rows: (e) => [
      {
        first: 'MARKlabel',
        from: '<tr',
        to: '</tr>\n',
        of: (d) => d.booking.fares,
        values: [
          ['MARKlabel', (f) => e(f.label)],
          ['99991', (f) => e(String(f.count))],
          [e(euro(1234567)), (f) => e(euro(f.amount))],
        ],
      },
    ],
    text: (d) => `Saltmarsh Ferries

${titled(`You are on board, ${d.passenger.givenName ?? 'traveller'}`, '=')}

${wrap(`We kept your place on the ${fullDay(d.sailing.departsAt)} crossing.`)}

Reference: ${d.booking.reference}
From:      ${d.sailing.from}, ${d.sailing.pier}
To:        ${d.sailing.to}
Vessel:    ${d.sailing.vessel}
Boarding:  ${time(d.sailing.boardsAt)}${d.sailing.boardsAt === d.sailing.departsAt ? '' : `, departure ${time(d.sailing.departsAt)}`}

Your fares:
${table(
  ['Fare', 'Number', 'Price'],
  d.booking.fares.map((fare) => [fare.label, String(fare.count), euro(fare.amount)]),
  ['Total', '', euro(d.booking.total)],
)}

| Note:
| Drive to lane ${d.booking.vehicle.lane}${d.booking.vehicle.heightCm > 210 ? ' (high vehicles)' : ''}

${linked('Change this booking', d.links.manage)}

Plans change, and so does the weather: the timetable [1] always has the
last word.

${foot(2)}

[1] https://saltmarsh-ferries.example/timetable
[2] ${HELP}
`,
  },
  'lost-property-found': {
    mark: () => ({
      owner: { name: 'MARKowner' },
      finder: { name: 'MARKfinder', role: 'MARKrole' },
      vessel: 'MARKvessel',
      item: {
        what: 'mARKwhat',
        number: 'MARKnumber',
        foundOn: '2001-02-03',
        keptUntil: '2002-03-04',
        picture: 'https://mark.example/p.png',
        note: 'MARKnote',
      },
      office: { name: 'MARKoffice', street: 'MARKstreet', town: 'MARKtown', phone: '+3545559999' },
    }),
    values: (e, url) => [
      ['MARKowner', (d) => e(d.owner.name)],
      ['MARKfinder', (d) => e(d.finder.name)],
      ['MARKrole', (d) => e(d.finder.role)],
      ['MARKvessel', (d) => e(d.vessel)],
      ['mARKwhat', (d) => e(d.item.what)],
      ['MARKwhat', (d) => e(capital(d.item.what))],
      ['MARKnumber', (d) => e(d.item.number)],
      [e(fullDay('2001-02-03')), (d) => e(fullDay(d.item.foundOn))],
      [e(day('2002-03-04')), (d) => e(day(d.item.keptUntil))],
      ['https://mark.example/p.png', (d) => e(url(d.item.picture))],
      ['MARKnote', (d) => e(d.item.note ?? 'No note.')],
      ['MARKoffice', (d) => e(d.office.name)],
      ['MARKstreet', (d) => e(d.office.street)],
      ['MARKtown', (d) => e(d.office.town)],
      [phone('+3545559999'), (d) => e(phone(d.office.phone))],
    ],
    rows: () => [],
    text: (d) => `Saltmarsh Ferries

Is this yours?
==============

${wrap(`Dear ${d.owner.name}, ${d.finder.name} found this on ${d.vessel} on ${fullDay(d.item.foundOn)}:`)}

It looks like this.

[${capital(d.item.what)}]

> ${wrap(d.item.note ?? 'No note.').replaceAll('\n', '\n> ')}
>
> -- ${d.finder.name}, ${d.finder.role}

What:       ${capital(d.item.what)}
Number:     ${d.item.number}
Kept until: ${day(d.item.keptUntil)}

${d.office.name}
${d.office.street}
${d.office.town}

${wrap(`Call us at ${phone(d.office.phone)}, or answer this mail: it goes to ${d.finder.name}.`)}

${foot(1)}

[1] ${HELP}
`,
  },
  'pier-bulletin': {
    mark: () => ({
      week: 98765,
      from: '2001-02-03',
      stories: [{ title: 'MARKtitle', text: 'MARKtext', link: 'https://mark.example/story' }],
      tides: [{ at: WHEN[1], metres: 765.4 }],
    }),
    values: (e) => [
      ['1 story from', (d) => `${d.stories.length} ${d.stories.length === 1 ? 'story' : 'stories'} from`],
      ['1 stories from', (d) => `${d.stories.length} stories from`],
      ['98765', (d) => e(String(d.week))],
      [e(day('2001-02-03')), (d) => e(day(d.from))],
    ],
    rows: (e, url) => [
      {
        first: 'MARKtitle',
        from: '<div class="story"',
        to: '</div>\n',
        of: (d) => d.stories,
        values: [
          ['MARKtitle', (s) => e(s.title)],
          ['MARKtext', (s) => e(s.text)],
        ],
        // The line of the link, for the stories that have one.
        part: {
          first: 'https://mark.example/story',
          from: '<p',
          to: '</p>\n',
          has: (s) => s.link !== undefined,
          values: [['https://mark.example/story', (s) => e(url(s.link))]],
        },
      },
      {
        first: e(fullDay(WHEN[1])),
        from: '<tr',
        to: '</tr>\n',
        of: (d) => d.tides,
        values: [
          [e(fullDay(WHEN[1])), (t) => e(fullDay(t.at))],
          [e(time(WHEN[1])), (t) => e(time(t.at))],
          ['765.4', (t) => e(metres(t.metres))],
        ],
      },
    ],
    text: (d) => `Pier news
=========

${wrap(`Week ${d.week}, ${day(d.from)}.`)}

${d.stories.map((story) => `${titled(story.title, '-')}\n\n${wrap(story.text)}\n\n${story.link === undefined ? '' : `${linked('Read on', story.link)}\n\n`}`).join('')}Tides at Brackwater
-------------------

${table(
  ['Day', 'High', 'Metres'],
  d.tides.map((tide) => [fullDay(tide.at), time(tide.at), metres(tide.metres)]),
)}

You get this once a week. Stop it with one click [1].

[1] https://saltmarsh-ferries.example/
`,
  },
  'refund-receipt': {
    mark: () => ({
      booking: { reference: 'SM-77777', currency: 'ISK' },
      refund: {
        at: '2001-02-03',
        days: 987,
        lines: [{ label: 'MARKlabel', amount: 1234567 }],
        total: 7654321,
        card: { lastDigits: 'MARKdigits' },
      },
    }),
    values: (e) => [
      ['SM-77777', (d) => e(d.booking.reference)],
      [e(day('2001-02-03')), (d) => e(day(d.refund.at))],
      ['987', (d) => e(String(d.refund.days))],
      [e(krona(7654321)), (d) => e(krona(d.refund.total))],
      ['MARKdigits', (d) => e(d.refund.card.lastDigits)],
    ],
    rows: (e) => [
      {
        first: 'MARKlabel',
        from: '<tr',
        to: '</tr>\n',
        of: (d) => d.refund.lines,
        values: [
          ['MARKlabel', (l) => e(l.label)],
          [e(krona(1234567)), (l) => e(krona(l.amount))],
        ],
      },
    ],
    text: (d) => `Saltmarsh Ferries

${titled(`${krona(d.refund.total)} on its way to you`, '=')}

${wrap(`We have refunded booking ${d.booking.reference} on ${day(d.refund.at)}. With most banks it arrives within ${d.refund.days} days.`)}

${table(
  undefined,
  d.refund.lines.map((line) => [line.label, krona(line.amount)]),
  ['Refunded', krona(d.refund.total)],
)}

${wrap(d.refund.card ? `It goes to the card that ends in ${d.refund.card.lastDigits}.` : 'It goes to the account you paid from.')}

${foot(1)}

[1] ${HELP}
`,
  },
  'sailing-cancelled': {
    mark: () => ({
      passenger: { givenName: 'MARKname' },
      sailing: { from: 'MARKfrom', to: 'MARKto', vessel: 'MARKvessel', departsAt: WHEN[1] },
      reason: { kind: 'weather' },
      choice: { hours: 987, rebook: 'https://mark.example/rebook', refund: 'https://mark.example/refund' },
    }),
    values: (e, url) => [
      ['MARKname', (d) => e(d.passenger.givenName)],
      ['MARKfrom', (d) => e(d.sailing.from)],
      ['MARKto', (d) => e(d.sailing.to)],
      ['MARKvessel', (d) => e(d.sailing.vessel)],
      [e(fullMoment(WHEN[1])), (d) => e(fullMoment(d.sailing.departsAt))],
      ['987', (d) => e(String(d.choice.hours))],
      ['https://mark.example/rebook', (d) => e(url(d.choice.rebook))],
      ['https://mark.example/refund', (d) => e(url(d.choice.refund))],
    ],
    rows: () => [],
    text: (d) => `Saltmarsh Ferries

Your crossing is cancelled
==========================

${wrap(`We are sorry, ${d.passenger.givenName}. This crossing does not sail:`)}

Crossing:  ${d.sailing.from} – ${d.sailing.to}
Departure: ${fullMoment(d.sailing.departsAt)}
Vessel:    ${d.sailing.vessel}

| Attention:
| The sea is too rough for ${d.sailing.vessel}.

${wrap(`You have ${d.choice.hours === 1 ? 'one hour' : `${d.choice.hours} hours`} to choose; after that we refund you by ourselves.`)}

${linked('Choose another crossing', d.choice.rebook)}

${linked('Get a refund', d.choice.refund)}

${foot(1)}

[1] ${HELP}
`,
  },
  'sign-in-code': {
    mark: () => ({ name: 'MARKname', code: 'MARKcode', validMinutes: 987 }),
    values: (e) => [
      ['MARKname', (d) => e(d.name)],
      ['MARKcode', (d) => e(d.code)],
      ['987', (d) => e(String(d.validMinutes))],
    ],
    rows: () => [],
    text: (d) => `Saltmarsh Ferries

Your sign-in code
=================

${wrap(`Hello ${d.name}, someone (you, we hope) wants to sign in to Saltmarsh Ferries.`)}

    ${d.code}

${wrap(`The code is valid for ${d.validMinutes === 1 ? '1 minute' : `${d.validMinutes} minutes`} and can be used once.`)}

${wrap('If this was not you, you need not do anything: no one can sign in without the code.')}

${foot(1)}

[1] ${HELP}
`,
  },
};

/** The source of a function of one template literal, as it would be written. */
const literal = (text, values, name) => {
  let source = text.replace(/[\\`$]/g, '\\$&');
  // The longest first: a moment has a time in it.
  const order = values.map(([mark], i) => [mark, i]).sort(([a], [b]) => b.length - a.length);
  for (const [mark, i] of order) source = source.replaceAll(mark.replace(/[\\`$]/g, '\\$&'), `\${${name}[${i}](x)}`);
  return source;
};
const getters = (values) => values.map(([, get]) => get);

/** Where a piece of HTML stands that holds a mark. */
function around(html, { first, from, to }) {
  const start = html.lastIndexOf(from, html.indexOf(first));
  return [start, html.indexOf(to, html.indexOf(first)) + to.length];
}

/**
 * The hand-written function of a template's HTML.
 * @param render of the template: its marked rendering gives what is fixed
 * @param tools escape a text; make a link whole; and the time of the rendering, in milliseconds since 1970
 */
export function htmlByHand({ mark, values, rows }, render, { escape, url, now }) {
  const html = render(mark());
  const own = values(escape, url, now);
  const loops = rows(escape, url).map((row) => ({ ...row, at: around(html, row) }));
  let source = '';
  let last = 0;
  const args = [];
  for (const {
    at: [start, end],
    of,
    values: inner,
    part,
  } of loops.sort((a, b) => a.at[0] - b.at[0])) {
    source += literal(html.slice(last, start), own, 'v');
    const body = html.slice(start, end);
    const sub = args.length;
    if (part === undefined) args.push(new Function('r', `return (x) => \`${literal(body, inner, 'r')}\``)(getters(inner)));
    else {
      const [from, to] = around(body, part);
      const piece = new Function('r', `return (x) => \`${literal(body.slice(from, to), part.values, 'r')}\``)(getters(part.values));
      args.push(
        new Function(
          'r',
          'has',
          'piece',
          `return (x) => \`${literal(body.slice(0, from), inner, 'r')}\${has(x) ? piece(x) : ''}${literal(body.slice(to), inner, 'r')}\``,
        )(getters(inner), part.has, piece),
      );
    }
    source += `\${a[${sub}](x)}`;
    const each = args[sub];
    args[sub] = (x) => of(x).map(each).join('');
    last = end;
  }
  source += literal(html.slice(last), own, 'v');
  return new Function('v', 'a', `return (x) => \`${source}\``)(getters(own), args);
}
