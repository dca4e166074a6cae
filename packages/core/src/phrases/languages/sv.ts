import type { LanguagePhrases } from '../language.js';

export const SV: LanguagePhrases = {
  language: 'sv',
  causes: {
    'mailbox-full': ['brevlåda*full', 'postlåda*full', 'kvot*överskriden', 'kvoten*överskr', 'inte tillräckligt med utrymme'],
    'mailbox-disabled': ['konto*{inaktiverat|avstängt|spärrat|avslutat}', 'brevlåda*inaktiverad'],
    'mailbox-unknown': ['okänd', 'finns inte', 'hittades inte', 'existerar inte'],
    content: ['skräppost', 'som spam', 'innehåller*virus', 'bilaga*{inte tillåten|blockerad}'],
    'too-large': ['för stort', 'för stor', 'maximal storlek'],
    policy: ['inte behörig', 'inte tillåtelse', 'avsändare*inte tillåten'],
    reputation: ['svartlist', 'spärrlista'],
    'domain-unknown': ['domän*{finns inte|okänd|hittades inte}'],
    unreachable: ['anslutning*nekad', 'server*svarar inte'],
    expired: ['tiden*gick ut', 'under * dagar'],
    'rate-or-greylist': ['försök igen senare', 'för många anslutningar'],
  },
  failed: ['kunde inte levereras', 'levererades inte', 'kunde inte leverera', 'avvisades', 'leverans*misslyckades'],
  delayed: ['försenat', 'försenad', 'inte levererats ännu'],
  keeps: ['nya försök görs', 'fortsätter att försöka'],
  givenUp: ['inga fler försök', 'permanent'],
  delivered: ['levererades', 'har levererats'],
  bounceSubject: ['olevererat', 'kunde inte levereras', 'inte levererat', 'oleverer', 'avvisat'],
  autoSubject: ['^ autosvar', '^ automatiskt svar', 'bekräftelse på mottag'],
  awaySubject: ['^ frånvar'],
  away: ['är {|för närvarande }{borta|frånvarande|ledig|på semester}', 'på semester', 'automatiskt svar', 'när jag är tillbaka'],
  noted: ['vi har tagit emot {ditt|din|er|ert}', 'ärendenummer', 'svara inte på detta', 'välkommen till * lista'],
  original: ['ursprungligt meddelande'],
};
