// Building an email and signing it (RSA-2048), against the bare signature of a text of the size that a signature covers.
import { generateKeyPairSync, sign } from 'node:crypto';
import { join } from 'node:path';
import { root } from './support/processes.mjs';

const core = (door) => import(join(root, `packages/core/dist/${door}/index.js`));

export default async function bench() {
  const [{ writeMail, mailBytes, prefixed, readMail, shownText }, { signMail }] = [await core('mime'), await core('dkim')];
  const { privateKey } = generateKeyPairSync('rsa', { modulusLength: 2048 });
  const key = { domain: 'saltmarsh-ferries.example', selector: 's1', algorithm: 'rsa-sha256', key: privateKey };
  const mail = {
    from: { name: 'Saltmarsh Ferries', local: 'harbour', domain: 'saltmarsh-ferries.example' },
    to: [{ name: 'Ása Þórsdóttir', local: 'asa', domain: 'post.example' }],
    subject: 'Booking SM-1042: Brackwater → Tern Island',
    messageId: 'm1@saltmarsh-ferries.example',
    date: Date.now(),
    text: 'We kept your place on the Friday crossing; be at the pier by 8:15.\n'.repeat(30),
    html: '<p style="margin:0 0 16px">We kept your place on the <strong>Friday</strong> crossing – be at the pier.</p>\n'.repeat(80),
    boundary: '=_0123456789abcdef',
  };
  const whole = async () => {
    const written = writeMail(mail);
    return mailBytes(prefixed(await signMail(written, [key], mail.date), written));
  };
  const bytes = await whole();
  const covered = Buffer.alloc(1000, 97);
  const rate = (times, run) => {
    const from = performance.now();
    for (let i = 0; i < times; i += 1) run();
    return (times * 1000) / (performance.now() - from);
  };
  return [
    {
      name: `mime: build and sign an email of ${bytes.length} bytes, against crypto.sign`,
      unit: 'emails/s',
      // Ten at a time, as the service has them: signatures are made off the main thread while the next mail is built.
      ours: async () => {
        const from = performance.now();
        for (let i = 0; i < 1000; i += 10) await Promise.all(Array.from({ length: 10 }, whole));
        return 1_000_000 / (performance.now() - from);
      },
      baseline: () => rate(1000, () => sign('sha256', covered, privateKey)),
    },
    {
      name: 'mime: read it back',
      unit: 'emails/s',
      ours: () => rate(1000, () => shownText(readMail(bytes), 'html')),
    },
  ];
}
