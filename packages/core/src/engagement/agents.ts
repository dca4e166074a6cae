/** Something known of programs that ask for links or pictures of email, by what they call themselves (User-Agent, RFC 9110 10.1.5). */
export interface AgentFact {
  readonly pattern: RegExp;
  /** What asks: a machine on its own, or a program on behalf of a person who has opened the email. */
  readonly by: 'machine' | 'person';
  /** Ends the sentence "The user agent …". */
  readonly note: string;
  /** When it was last looked at. */
  readonly date: string;
}

/** Looked through in order; the first that fits decides. */
export const AGENTS: readonly AgentFact[] = [
  {
    // The picture proxy of a large mailbox provider: asks when the email is opened, once for all its recipients' later looks.
    pattern: /\bGoogleImageProxy\b/,
    by: 'person',
    note: 'is a picture proxy that asks when the email is opened',
    date: '2026-11',
  },
  {
    pattern: /\bYahooMailProxy\b/,
    by: 'person',
    note: 'is a picture proxy that asks when the email is opened',
    date: '2026-11',
  },
  {
    // Desktop readers that load pictures with the engine of an office suite.
    pattern: /\b(?:Microsoft Outlook|ms-office|MSOffice)\b/i,
    by: 'person',
    note: 'is a mail reader',
    date: '2026-11',
  },
  {
    pattern: /\bThunderbird\//,
    by: 'person',
    note: 'is a mail reader',
    date: '2026-11',
  },
  {
    // Privacy proxies of mail readers fetch every picture soon after delivery, opened or not, and call themselves nothing but this.
    pattern: /^Mozilla\/5\.0$/,
    by: 'machine',
    note: 'is that of a proxy that loads the pictures of every email',
    date: '2026-11',
  },
  {
    pattern:
      /(?<!cu)bot\b|crawl|spider|slurp|archiver|\bscan(?:ner)?\b|linkcheck|link[- ]?preview|urlpreview|externalhit|\bpreview\b|prefetch|\bmonitor(?:ing)?\b|uptime|validator/i,
    by: 'machine',
    note: 'is that of a robot',
    date: '2026-11',
  },
  {
    pattern: /security|antivirus|anti-virus|\bsafe ?links\b|threat|malware|phish|sandbox|urlscan|safebrowsing/i,
    by: 'machine',
    note: 'is that of a scanner',
    date: '2026-11',
  },
  {
    pattern: /headless|phantomjs|puppeteer|playwright|selenium|webdriver/i,
    by: 'machine',
    note: 'is that of a browser without a person',
    date: '2026-11',
  },
  {
    pattern:
      /^(?:curl|wget|python|java|go-http-client|okhttp|axios|node|undici|libwww|lwp|perl|ruby|php|guzzle|httpclient|http_|aiohttp|rust|reqwest|dart|apache-http|winhttp|powershell)/i,
    by: 'machine',
    note: 'is that of a program',
    date: '2026-11',
  },
];
