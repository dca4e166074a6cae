/**
 * Made-up threads with known boundaries: eight languages, the habits of readers, as text and as HTML. The wording is of its own: it was written
 * from what readers put out, not from the table that is tested.
 */
export interface Thread {
  readonly name: string;
  readonly language: string;
  readonly text?: string;
  readonly html?: string;
  readonly expected: {
    readonly text: string;
    readonly signature: string;
    /** Of the quoted part: a piece that must be in it. */ readonly quoted: string;
  };
}

interface Tongue {
  readonly language: string;
  /** What is answered. */
  readonly ours: readonly string[];
  /** Answers, a paragraph each. */
  readonly own: readonly (readonly string[])[];
  /** On one line. */
  readonly introductions: readonly string[];
  /** Broken by the reader as it breaks them. */
  readonly broken: string;
  /** Labels: from, date, to, subject; and the words above. */
  readonly header: readonly [string, string, string, string];
  readonly divider: string;
  readonly forward: string;
  readonly device: string;
  readonly closing: readonly string[];
}

const ADDRESS = 'tickets@saltmarsh-ferries.example';

const TONGUES: readonly Tongue[] = [
  {
    language: 'en',
    ours: ['Your crossing to Hafnarsund on 14 March leaves at 08:30.', 'Please be at the pier at 08:00.', 'Bookings: SM-4471'],
    own: [
      ['Thank you. We will be four people now, not three.', 'Is there still room for a bicycle?'],
      ['On my way home I noticed that my scarf is gone. It is blue.', 'My wife wrote: look under the bench. I did: nothing.'],
      ['From what I can see the gate is wrong: it says pier 3.'],
    ],
    introductions: [
      `On Tue, 10 Mar 2026 at 09:15, Saltmarsh Ferries <${ADDRESS}> wrote:`,
      `On 10/03/2026 09:15, Saltmarsh Ferries wrote:`,
      `Saltmarsh Ferries <${ADDRESS}> wrote on 10 March 2026:`,
    ],
    broken: `On Tuesday, March 10, 2026 at 09:15 AM UTC, Saltmarsh Ferries\n<${ADDRESS}> wrote:`,
    header: ['From', 'Sent', 'To', 'Subject'],
    divider: '-----Original Message-----',
    forward: '---------- Forwarded message ---------',
    device: 'Sent from my phone',
    closing: ['Kind regards', 'Una Bell'],
  },
  {
    language: 'de',
    ours: ['Ihre Überfahrt nach Hafnarsund am 14. März geht um 8:30 Uhr.', 'Bitte seien Sie um 8:00 Uhr am Kai.', 'Buchung: SM-4471'],
    own: [
      ['Vielen Dank, wir sind jetzt doch zu viert.', 'Kann ein Fahrrad mit?'],
      ['Am Montag schrieb meine Frau, dass ihr Schal fehlt. Er ist blau.', 'Wurde er gefunden?'],
      ['Von hier aus sieht man Kai 3: stimmt das?'],
    ],
    introductions: [
      `Am Di., 10. März 2026 um 09:15 Uhr schrieb Saltmarsh Ferries <${ADDRESS}>:`,
      `Am 10.03.26 um 09:15 schrieb Saltmarsh Ferries:`,
      `Saltmarsh Ferries <${ADDRESS}> schrieb am 10.03.2026 09:15:`,
    ],
    broken: `Am Dienstag, 10. März 2026, 09:15:00 MEZ hat Saltmarsh Ferries\n<${ADDRESS}> Folgendes geschrieben:`,
    header: ['Von', 'Gesendet', 'An', 'Betreff'],
    divider: '-----Ursprüngliche Nachricht-----',
    forward: '-------- Weitergeleitete Nachricht --------',
    device: 'Von meinem Telefon gesendet',
    closing: ['Mit freundlichen Grüßen', 'Jonas Brandt'],
  },
  {
    language: 'fr',
    ours: ['Votre traversée vers Hafnarsund le 14 mars part à 8 h 30.', 'Merci d’être au quai à 8 h.', 'Réservation : SM-4471'],
    own: [
      ['Merci beaucoup, nous serons finalement quatre.', 'Peut-on prendre un vélo ?'],
      ['Le lendemain j’ai vu que mon écharpe manquait : elle est bleue.', 'Est-ce que quelqu’un l’a trouvée ?'],
      ['De notre côté le quai 3 est fermé.'],
    ],
    introductions: [
      `Le mar. 10 mars 2026 à 09:15, Saltmarsh Ferries <${ADDRESS}> a écrit :`,
      `Le 10/03/2026 à 09:15, Saltmarsh Ferries a écrit :`,
      `Le 10 mars 2026 à 09:15, Saltmarsh Ferries <${ADDRESS}> a écrit :`,
    ],
    broken: `Le mardi 10 mars 2026 à 09:15:00 UTC+1, Saltmarsh Ferries\n<${ADDRESS}> a écrit :`,
    header: ['De', 'Envoyé', 'À', 'Objet'],
    divider: "-----Message d'origine-----",
    forward: '---------- Message transféré ---------',
    device: 'Envoyé de mon téléphone',
    closing: ['Cordialement', 'Élise Marchand'],
  },
  {
    language: 'es',
    ours: ['Su travesía a Hafnarsund del 14 de marzo sale a las 8:30.', 'Esté en el muelle a las 8:00.', 'Reserva: SM-4471'],
    own: [
      ['Muchas gracias, al final seremos cuatro.', '¿Puede ir una bicicleta?'],
      ['En el barco perdí una bufanda azul. El capitán escribió mi nombre.', '¿La encontraron?'],
      ['De momento el muelle 3 está cerrado.'],
    ],
    introductions: [
      `El mar, 10 mar 2026 a las 9:15, Saltmarsh Ferries (<${ADDRESS}>) escribió:`,
      `El 10/3/26 a las 9:15, Saltmarsh Ferries escribió:`,
      `El 10 mar 2026, a las 9:15, Saltmarsh Ferries <${ADDRESS}> escribió:`,
    ],
    broken: `El martes, 10 de marzo de 2026, 09:15:00 CET, Saltmarsh Ferries\n<${ADDRESS}> escribió:`,
    header: ['De', 'Enviado', 'Para', 'Asunto'],
    divider: '-----Mensaje original-----',
    forward: '---------- Mensaje reenviado ---------',
    device: 'Enviado desde mi teléfono',
    closing: ['Un saludo', 'Inés Robles'],
  },
  {
    language: 'it',
    ours: ['La sua traversata per Hafnarsund del 14 marzo parte alle 8:30.', 'Sia al molo alle 8:00.', 'Prenotazione: SM-4471'],
    own: [
      ['Grazie, alla fine saremo in quattro.', 'Si può portare una bicicletta?'],
      ['Il capitano ha scritto il mio nome: ho perso una sciarpa blu.', 'È stata trovata?'],
      ['Da qui il molo 3 sembra chiuso.'],
    ],
    introductions: [
      `Il giorno mar 10 mar 2026 alle ore 09:15 Saltmarsh Ferries <${ADDRESS}> ha scritto:`,
      `Il 10/03/2026 09:15, Saltmarsh Ferries ha scritto:`,
      `Il giorno 10 mar 2026, alle ore 09:15, Saltmarsh Ferries <${ADDRESS}> ha scritto:`,
    ],
    broken: `Il martedì 10 marzo 2026 alle ore 09:15:00 CET, Saltmarsh Ferries\n<${ADDRESS}> ha scritto:`,
    header: ['Da', 'Inviato', 'A', 'Oggetto'],
    divider: '-----Messaggio originale-----',
    forward: '---------- Messaggio inoltrato ---------',
    device: 'Inviato dal mio telefono',
    closing: ['Cordiali saluti', 'Marta Sole'],
  },
  {
    language: 'nl',
    ours: ['Uw overtocht naar Hafnarsund op 14 maart vertrekt om 8:30.', 'Wees om 8:00 op de kade.', 'Boeking: SM-4471'],
    own: [
      ['Bedankt, we zijn toch met vier personen.', 'Kan er een fiets mee?'],
      ['Op de boot ben ik mijn blauwe sjaal verloren. Iemand schreef mijn naam op.', 'Is hij gevonden?'],
      ['Van hieruit lijkt kade 3 gesloten.'],
    ],
    introductions: [
      `Op di 10 mrt 2026 om 09:15 schreef Saltmarsh Ferries <${ADDRESS}>:`,
      `Op 10-03-2026 om 09:15 schreef Saltmarsh Ferries:`,
      `Op 10 mrt. 2026 om 09:15 heeft Saltmarsh Ferries <${ADDRESS}> het volgende geschreven:`,
    ],
    broken: `Op dinsdag 10 maart 2026 om 09:15:00 CET schreef Saltmarsh Ferries\n<${ADDRESS}>:`,
    header: ['Van', 'Verzonden', 'Aan', 'Onderwerp'],
    divider: '-----Oorspronkelijk bericht-----',
    forward: '---------- Doorgestuurd bericht ---------',
    device: 'Verstuurd vanaf mijn telefoon',
    closing: ['Met vriendelijke groet', 'Sanne Kuiper'],
  },
  {
    language: 'pl',
    ours: ['Rejs do Hafnarsund 14 marca odpływa o 8:30.', 'Prosimy być na nabrzeżu o 8:00.', 'Rezerwacja: SM-4471'],
    own: [
      ['Dziękuję, będziemy jednak we czwórkę.', 'Czy można zabrać rower?'],
      ['Na statku zgubiłam niebieski szalik. Kapitan napisał, że poszuka.', 'Czy się znalazł?'],
      ['Od wczoraj nabrzeże 3 jest zamknięte.'],
    ],
    introductions: [
      `wt., 10 mar 2026 o 09:15 Saltmarsh Ferries <${ADDRESS}> napisał(a):`,
      `W dniu 10.03.2026 o 09:15, Saltmarsh Ferries pisze:`,
      `Dnia 10 marca 2026 09:15 Saltmarsh Ferries <${ADDRESS}> napisał(a):`,
    ],
    broken: `W dniu wtorek, 10 marca 2026 09:15:00 CET użytkownik Saltmarsh Ferries\n<${ADDRESS}> napisał:`,
    header: ['Od', 'Wysłano', 'Do', 'Temat'],
    divider: '-----Wiadomość oryginalna-----',
    forward: '---------- Przekazana wiadomość ---------',
    device: 'Wysłane z mojego telefonu',
    closing: ['Pozdrawiam', 'Ola Zielińska'],
  },
  {
    language: 'ja',
    ours: ['3月14日のハフナルスンド行きは8時30分に出ます。', '8時までに桟橋へお越しください。', '予約: SM-4471'],
    own: [
      ['ありがとうございます。四人になりました。', '自転車は載せられますか。'],
      ['船の中で青いスカーフをなくしました。', '見つかりましたか。'],
      ['三番桟橋は閉まっているようです。'],
    ],
    introductions: [
      `2026年3月10日(火) 9:15 Saltmarsh Ferries <${ADDRESS}>:`,
      `2026/03/10 9:15、Saltmarsh Ferries <${ADDRESS}>のメール:`,
      `2026年3月10日(火) 9:15 Saltmarsh Ferriesさんは書きました:`,
    ],
    broken: `2026年3月10日火曜日 9:15、Saltmarsh Ferries\n<${ADDRESS}>のメール:`,
    header: ['差出人', '送信日時', '宛先', '件名'],
    divider: '-----元のメッセージ-----',
    forward: '---------- 転送メッセージ ----------',
    device: '携帯電話から送信',
    closing: ['よろしくお願いします', '森 葵'],
  },
];

const html = (text: string): string => text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;');
const paragraphs = (lines: readonly string[]): string => lines.map((line) => `<p>${html(line)}</p>`).join('');
const divs = (lines: readonly string[]): string => lines.map((line) => `<div>${html(line)}</div>`).join('<div><br></div>');
const behind = (lines: readonly string[]): string => lines.map((line) => `> ${line}`).join('\n>\n');

type Shape = (tongue: Tongue, own: readonly string[]) => Omit<Thread, 'name' | 'language'>;

const headerOf = ({ header: [from, date, to, subject] }: Tongue): string[] => [
  `${from}: Saltmarsh Ferries <${ADDRESS}>`,
  `${date}: 2026-03-10 09:15`,
  `${to}: una.bell@post.example`,
  `${subject}: SM-4471`,
];

const expected = (own: readonly string[], { ours }: Tongue, signature: readonly string[] = []): Thread['expected'] => ({
  text: own.join('\n\n'),
  signature: signature.join('\n'),
  quoted: ours[0] ?? '',
});

/** As text. */
const TEXT: Readonly<Record<string, Shape>> = {
  'answer above': (tongue, own) => ({
    text: `${own.join('\n\n')}\n\n${tongue.introductions[0] ?? ''}\n\n${behind(tongue.ours)}\n`,
    expected: expected(own, tongue),
  }),
  'answer above, no line between': (tongue, own) => ({
    text: `${own.join('\n\n')}\n${tongue.introductions[1] ?? ''}\n${behind(tongue.ours)}\n`,
    expected: expected(own, tongue),
  }),
  'introduction in two lines': (tongue, own) => ({
    text: `${own.join('\n\n')}\n\n${tongue.broken}\n\n${behind(tongue.ours)}\n`,
    expected: expected(own, tongue),
  }),
  'answer below': (tongue, own) => ({
    text: `${tongue.introductions[2] ?? ''}\n${behind(tongue.ours)}\n\n${own.join('\n\n')}\n`,
    expected: expected(own, tongue),
  }),
  'answers between': (tongue, own) => ({
    text: `${tongue.introductions[0] ?? ''}\n> ${tongue.ours[0] ?? ''}\n\n${own[0] ?? ''}\n\n> ${tongue.ours[1] ?? ''}\n${own.length > 1 ? `\n${own.slice(1).join('\n\n')}\n` : ''}`,
    expected: expected(own, tongue),
  }),
  'with a signature, above': (tongue, own) => ({
    text: `${own.join('\n\n')}\n\n-- \n${tongue.closing.join('\n')}\n\n${tongue.introductions[2] ?? ''}\n${behind(tongue.ours)}\n`,
    expected: expected(own, tongue, tongue.closing),
  }),
  'with a signature, below': (tongue, own) => ({
    text: `${tongue.introductions[1] ?? ''}\n${behind(tongue.ours)}\n\n${own.join('\n\n')}\n\n--\n${tongue.closing.join('\n')}\n`,
    expected: expected(own, tongue, tongue.closing),
  }),
  'header of what is answered': (tongue, own) => ({
    text: `${own.join('\n\n')}\n\n${tongue.divider}\n${headerOf(tongue).join('\n')}\n\n${tongue.ours.join('\n\n')}\n`,
    expected: expected(own, tongue),
  }),
  'a rule and a header': (tongue, own) => ({
    text: `${[...own, ...tongue.closing].join('\n\n')}\n\n________________________________\n${headerOf(tongue).join('\n')}\n\n${tongue.ours.join('\n')}\n`,
    expected: expected([...own, ...tongue.closing], tongue),
  }),
  'passed on': (tongue, own) => ({
    text: `${own.join('\n\n')}\n\n${tongue.forward}\n${headerOf(tongue).join('\n')}\n\n\n${tongue.ours.join('\n\n')}\n`,
    expected: expected(own, tongue),
  }),
  'a device below': (tongue, own) => ({
    text: `${own.join('\n\n')}\n\n${tongue.device}\n\n> ${tongue.introductions[0] ?? ''}\n> \n${behind(tongue.ours)}\n`,
    expected: { ...expected(own, tongue), signature: tongue.device },
  }),
  'a quote without marks': (tongue, own) => ({
    text: `${own.join('\n\n')}\n\n${tongue.introductions[0] ?? ''}\n\n${tongue.ours.join('\n\n')}\n`,
    expected: expected(own, tongue),
  }),
  'two answers deep': (tongue, own) => ({
    text: `${own.join('\n\n')}\n\n${tongue.broken}\n> ${tongue.own[0]?.[0] ?? ''}\n>\n> ${tongue.introductions[0] ?? ''}\n>> ${tongue.ours[0] ?? ''}\n>> ${tongue.ours[1] ?? ''}\n`,
    expected: expected(own, tongue),
  }),
  'nothing answered': (_tongue, own) => ({
    text: `${own.join('\n\n')}\n`,
    expected: { text: own.join('\n\n'), signature: '', quoted: '' },
  }),
};

/** As HTML. */
const HTML: Readonly<Record<string, Shape>> = {
  'cited blockquote': (tongue, own) => ({
    html: `<html><body>${paragraphs(own)}<div>${html(tongue.introductions[0] ?? '')}</div><blockquote type="cite">${paragraphs(tongue.ours)}</blockquote></body></html>`,
    expected: expected(own, tongue),
  }),
  'container of a webmail': (tongue, own) => ({
    html: `<div dir="ltr">${divs(own)}</div><br><div class="gmail_quote"><div dir="ltr" class="gmail_attr">${html(tongue.introductions[0] ?? '')}<br></div><blockquote class="gmail_quote" style="margin:0 0 0 .8ex;border-left:1px solid #ccc">${divs(tongue.ours)}</blockquote></div>`,
    expected: expected(own, tongue),
  }),
  'header under a drawn line': (tongue, own) => ({
    html: `<div class="WordSection1">${own.map((line) => `<p class="MsoNormal">${html(line)}<o:p></o:p></p>`).join('<p class="MsoNormal"><o:p>&nbsp;</o:p></p>')}<div style="border:none;border-top:solid #E1E1E1 1.0pt;padding:3.0pt 0cm 0cm 0cm"><p class="MsoNormal">${headerOf(
      tongue,
    )
      .map((line) => `<b>${html(line.slice(0, line.indexOf(':') + 1))}</b>${html(line.slice(line.indexOf(':') + 1))}`)
      .join('<br>')}</p></div>${paragraphs(tongue.ours)}</div>`,
    expected: expected(own, tongue),
  }),
  'header behind a rule': (tongue, own) => ({
    html: `<div>${own.map(html).join('<br><br>')}</div><hr><div id="divRplyFwdMsg"><font>${headerOf(tongue).map(html).join('<br>')}</font></div><div>${paragraphs(tongue.ours)}</div>`,
    expected: expected(own, tongue),
  }),
  'introduction with a class': (tongue, own) => ({
    html: `<html><head><style>p{color:red}</style></head><body>${paragraphs(own)}<div class="moz-cite-prefix">${html(tongue.introductions[1] ?? '')}<br></div><blockquote type="cite" cite="mid:1@x.example">${paragraphs(tongue.ours)}</blockquote><div class="moz-signature">-- <br>${tongue.closing.map(html).join('<br>')}</div></body></html>`,
    expected: { ...expected(own, tongue, tongue.closing) },
  }),
  'answer below a quote': (tongue, own) => ({
    html: `<body><p>${html(tongue.introductions[0] ?? '')}</p><blockquote type="cite">${paragraphs(tongue.ours)}</blockquote>${paragraphs(own)}</body>`,
    expected: expected(own, tongue),
  }),
  'answers between quotes': (tongue, own) => ({
    html: `<body><div>${html(tongue.introductions[2] ?? '')}</div><blockquote type="cite"><p>${html(tongue.ours[0] ?? '')}</p></blockquote><p>${html(own[0] ?? '')}</p><blockquote type="cite"><p>${html(tongue.ours[1] ?? '')}</p></blockquote>${paragraphs(own.slice(1))}</body>`,
    expected: expected(own, tongue),
  }),
  'plain blockquote': (tongue, own) => ({
    html: `<body>${paragraphs(own)}<p>${html(tongue.introductions[0] ?? '')}</p><blockquote>${paragraphs(tongue.ours)}</blockquote></body>`,
    expected: expected(own, tongue),
  }),
  'a device, then a citation': (tongue, own) => ({
    html: `<html><body dir="auto">${divs(own)}<br><br><div dir="ltr">${html(tongue.device)}</div><div dir="ltr"><br><blockquote type="cite">${html(tongue.broken)}<br><br></blockquote></div><blockquote type="cite"><div dir="ltr">${paragraphs(tongue.ours)}</div></blockquote></body></html>`,
    expected: { ...expected(own, tongue), signature: tongue.device },
  }),
  'signature with a class': (tongue, own) => ({
    html: `<div dir="ltr">${divs(own)}<div><br></div><span class="gmail_signature_prefix">-- </span><br><div dir="ltr" class="gmail_signature">${divs(tongue.closing).replaceAll('<div><br></div>', '')}</div></div><div class="gmail_quote">${html(tongue.introductions[0] ?? '')}<blockquote>${divs(tongue.ours)}</blockquote></div>`,
    expected: expected(own, tongue, tongue.closing),
  }),
  'preformatted, marked as text': (tongue, own) => ({
    html: `<pre>${html(`${own.join('\n\n')}\n\n${tongue.introductions[0] ?? ''}\n${behind(tongue.ours)}`)}</pre>`,
    expected: expected(own, tongue),
  }),
  'a webmail of lines': (tongue, own) => ({
    html: `<div>${own.map(html).join('<br><br>')}<br><br>${html(tongue.divider)}<br>${headerOf(tongue).map(html).join('<br>')}<br><br>${tongue.ours.map(html).join('<br>')}</div>`,
    expected: expected(own, tongue),
  }),
};

/** What must not be recognised as a quote or a signature. */
const TRAPS: readonly Thread[] = [
  {
    name: 'a colon, then a list',
    language: 'en',
    text: 'On Monday I wrote:\n\n1. the time\n2. the pier\n\nNobody answered.\n',
    expected: { text: 'On Monday I wrote:\n\n1. the time\n2. the pier\n\nNobody answered.', signature: '', quoted: '' },
  },
  {
    name: 'labels of a list of one’s own',
    language: 'en',
    text: 'My details:\n\nDate: 14 March\nTo: Hafnarsund\n\nCan you change it?\n',
    expected: { text: 'My details:\n\nDate: 14 March\nTo: Hafnarsund\n\nCan you change it?', signature: '', quoted: '' },
  },
  {
    name: 'dashes between paragraphs',
    language: 'en',
    text: `First point.\n\n--\n\n${Array.from({ length: 14 }, (_, i) => `Line ${i} of a long story.`).join('\n')}\n`,
    expected: {
      text: `First point.\n\n--\n\n${Array.from({ length: 14 }, (_, i) => `Line ${i} of a long story.`).join('\n')}`,
      signature: '',
      quoted: '',
    },
  },
  {
    name: 'a blockquote of one’s own',
    language: 'en',
    html: '<p>Your page says:</p><blockquote>Dogs travel free.</blockquote><p>Is that so?</p>',
    expected: { text: 'Your page says:\n\nDogs travel free.\n\nIs that so?', signature: '', quoted: '' },
  },
  {
    name: 'words of a divider in a sentence',
    language: 'en',
    text: 'Original message\nwas never delivered, so I write again.\n',
    expected: { text: 'Original message\nwas never delivered, so I write again.', signature: '', quoted: '' },
  },
  {
    name: 'sent from my, in the middle',
    language: 'en',
    text: 'Sent from my hotel to the pier, the bag got lost.\n\nIt is red.\n',
    expected: { text: 'Sent from my hotel to the pier, the bag got lost.\n\nIt is red.', signature: '', quoted: '' },
  },
  {
    name: 'a time and an address',
    language: 'de',
    text: 'Meine Daten:\nanna@post.example\n10. März 2026, 08:30\n\nDanke!\n',
    expected: { text: 'Meine Daten:\nanna@post.example\n10. März 2026, 08:30\n\nDanke!', signature: '', quoted: '' },
  },
  {
    name: 'a line that begins like an introduction, right above one',
    language: 'en',
    text: `On Tuesday we come with the\nOn Tue, 10 Mar 2026 at 09:15, Saltmarsh Ferries <${ADDRESS}> wrote:\n> Be there.\n`,
    expected: { text: 'On Tuesday we come with the', signature: '', quoted: 'Be there.' },
  },
  {
    name: 'nothing but a quote',
    language: 'en',
    text: `On Tue, 10 Mar 2026 at 09:15, Saltmarsh Ferries <${ADDRESS}> wrote:\n> Be there.\n`,
    expected: { text: '', signature: '', quoted: 'Be there.' },
  },
];

/** All of them: 8 languages, 26 habits, and what must not be recognised as a quote. */
export const THREADS: readonly Thread[] = [
  ...TONGUES.flatMap((tongue) =>
    [...Object.entries(TEXT), ...Object.entries(HTML)].map(([name, shape], i): Thread => {
      const own = tongue.own[i % tongue.own.length] ?? [];
      return { name: `${name} ${i < Object.keys(TEXT).length ? '' : '(HTML)'}`.trim(), language: tongue.language, ...shape(tongue, own) };
    }),
  ),
  ...TRAPS,
];
