import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Client, Message } from '@verbalis/client';
import { fieldOf, foreignMail, readMail, writeMail, type MailContent } from '@verbalis/core/mime';
import { SmtpConnection } from '@verbalis/service/smtp';
import type { NameServerSimulator } from '@verbalis/simulators';
import type { Output } from '../output.js';

const HOST = 'returns.saltmarsh-ferries.example';
const PATIENCE_MS = 20_000;

interface Passengers {
  readonly admin: Client;
  readonly client: Client;
  /** The port of the listener that takes what comes back. */
  readonly port: number;
  readonly names: NameServerSimulator;
  /** Where the files of the demo are. */
  readonly folder: string;
  readonly messages: readonly Message[];
}

/** Someone who writes. */
interface Letter extends Pick<MailContent, 'subject' | 'text' | 'html' | 'attachments' | 'pictures' | 'inReplyTo'> {
  readonly name: string;
  readonly address: string;
  readonly to: string;
  /** The return path; the author's address when left out. */
  readonly envelopeFrom?: string;
  readonly headers?: MailContent['headers'];
}

/** Brings an email as the mail server of its author would. */
async function bring(port: number, { name, address, to, envelopeFrom = address, ...content }: Letter, n: number): Promise<void> {
  const [local = '', domain = ''] = address.split('@');
  const [toLocal = '', toDomain = ''] = to.split('@');
  const mail = writeMail({
    ...content,
    from: { name, local, domain },
    to: [{ name: '', local: toLocal, domain: toDomain }],
    messageId: `letter-${n}@${domain}`,
    date: Date.now(),
    boundary: `=_letter-${n}`,
  });
  const connection = new SmtpConnection({ host: '127.0.0.1', port, helloName: `mx.${domain}` });
  if ((await connection.open()) === 'ready')
    await connection.deliver({ from: envelopeFrom, to }, foreignMail(Buffer.concat([...mail.chunks()])));
  connection.close();
}

/** Where a message asks to be answered, and what it is called. */
async function answerable(client: Client, id: string): Promise<{ readonly to: string; readonly inReplyTo: string }> {
  const { fields } = readMail(await client.messages.source(id));
  const to = /<([^<>]+)>/.exec(fieldOf({ fields }, 'reply-to') ?? '')?.[1] ?? '';
  return { to, inReplyTo: /<([^<>]+)>/.exec(fieldOf({ fields }, 'message-id') ?? '')?.[1] ?? '' };
}

/** Passengers write: an answer, a question with a picture, one in German below the quote, one that is forged; and one who has had enough. */
export async function letPassengersWrite({ admin, client, port, names, folder, messages }: Passengers, output: Output): Promise<void> {
  output.note('Passengers answer, one asks for her scarf with a picture, and a stranger pretends to be the harbour office …');
  const spf = { type: 'TXT', value: 'v=spf1 ip4:127.0.0.1 -all' } as const;
  for (const zone of ['post.example', 'fjordpost.example'])
    names.setZone(zone, [
      { name: zone, ...spf },
      { name: `_dmarc.${zone}`, type: 'TXT', value: 'v=DMARC1; p=quarantine' },
    ]);
  const of = (address: string): string =>
    messages.find(({ to }) => to.some((person) => person.address === address))?.id ?? messages[0]?.id ?? '';
  const booking = await answerable(client, of('asa.thorsdottir@post.example'));
  const other = await answerable(client, of('ingrid.solheim@fjordpost.example'));
  const scarf = readFileSync(join(folder, 'scarf.png'));
  const picture = { name: 'my-scarf.png', type: 'image/png', body: { size: scarf.length, chunks: () => [scarf] } };
  const letters: readonly Letter[] = [
    {
      name: 'Ása Þórsdóttir',
      address: 'asa.thorsdottir@post.example',
      ...booking,
      subject: 'Re: Your booking SM-1042',
      text: 'Thank you! We will be two adults after all, and one of us brings a bicycle.\n\nIs there still room on the car deck?\n\n-- \nÁsa\n\nOn Tue, 10 Mar 2026 at 09:15, Saltmarsh Ferries <harbour@saltmarsh-ferries.example> wrote:\n> Your booking SM-1042 is confirmed.\n> Please be at the pier half an hour before.\n',
    },
    {
      name: 'Liv Aune',
      address: 'liv.aune@post.example',
      to: `lost+scarf@${HOST}`,
      subject: 'Blue scarf, left on the Sandpiper',
      text: 'Hello,\n\nI left my scarf on the bench behind the bridge, on the last crossing to Tern Island on Sunday. It is blue with a light stripe; see the picture.\n\nIf you have it, I can fetch it on Thursday.\n\nLiv\n',
      html: '<p>Hello,</p><p>I left my scarf on the bench behind the bridge, on the last crossing to Tern Island on Sunday. It is blue with a light stripe; see the picture.</p><p><img src="cid:scarf@post.example" alt="A blue scarf on a bench" width="320"></p><p>If you have it, I can fetch it on Thursday.</p><p>Liv</p><img src="http://counter.example/liv.gif" width="1" height="1">',
      pictures: [{ ...picture, id: 'scarf@post.example' }],
    },
    {
      name: 'Ingrid Solheim',
      address: 'ingrid.solheim@fjordpost.example',
      ...other,
      subject: 'AW: Ihre Buchung',
      text: 'Am 10.03.2026 um 09:15 schrieb Saltmarsh Ferries:\n> Ihre Überfahrt ist bestätigt.\n\nGuten Tag, darf mein Hund mit auf das Schiff? Er ist klein und ruhig.\n\nVon meinem Telefon gesendet\n',
    },
    {
      name: 'harbour@saltmarsh-ferries.example',
      address: 'office@post.example',
      envelopeFrom: 'x7731@cheap-tickets.test',
      to: `help@${HOST}`,
      subject: 'Your mailbox is full',
      text: 'Please confirm your password.\n',
      html: '<p>Please confirm your password: <a href="https://login.cheap-tickets.test/x">https://saltmarsh-ferries.example/sign-in</a></p><form action="https://login.cheap-tickets.test"><input name="p"></form>',
    },
    {
      name: 'Ingrid Solheim',
      address: 'ingrid.solheim@fjordpost.example',
      envelopeFrom: '',
      ...other,
      subject: 'Automatische Antwort: Ihre Buchung',
      headers: [['Auto-Submitted', 'auto-replied']],
      text: 'Ich bin bis Montag nicht im Büro.\n',
    },
  ];
  for (const [i, letter] of letters.entries()) await bring(port, letter, i + 1);
  await answerScarf(admin, client);
}

/** The harbour office answers the question about the scarf. */
async function answerScarf(admin: Client, client: Client): Promise<void> {
  const end = Date.now() + PATIENCE_MS;
  for (;;) {
    const { inbound } = await admin.inbound.list({ inbox: 'lost-property' });
    const [question] = inbound;
    if (question?.state === 'read') {
      const text =
        'Dear Liv,\n\nwe have it: it is in the office on Pier 2, in a bag with your name. We are there from 8:00 to 18:00.\n\nOdd, harbour office\n';
      await client.inbound.reply(question.id, { text, quote: true, reference: 'LP-0031' });
      return;
    }
    if (Date.now() > end) return;
    await new Promise((done) => setTimeout(done, 200));
  }
}
