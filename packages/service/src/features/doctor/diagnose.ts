import type { DoctorFacts, Finding, Listening } from './facts.js';

const DAY = 86_400_000;
const GIB = 1024 ** 3;
const MIB = 1024 ** 2;

/** Until when versions of Node.js get corrections (nodejs.org/en/about/previous-releases); those that are not here never were for long use. */
const SUPPORTED: Readonly<Record<number, string>> = { 18: '2025-04-30', 20: '2026-04-30', 22: '2027-04-30', 24: '2028-04-30' };
const RECOMMENDED = '22 or 24';

/** Whether a host is this machine alone; 0.0.0.0 is all that reaches it. */
export function isHere(host: string): boolean {
  return host === 'localhost' || host === '::1' || /^127\.\d+\.\d+\.\d+$/.test(host);
}

const dayOf = (at: number): string => new Date(at).toISOString().slice(0, 10);
const inList = (names: readonly string[]): string => names.map((name) => `"${name}"`).join(', ');

function runtime({ node, now }: DoctorFacts): Finding[] {
  const code = 'runtime';
  const major = Number(node.split('.')[0]);
  const until = SUPPORTED[major];
  if (until === undefined)
    return [{ code, level: 'should', title: `Node.js ${node} is not a version for long use`, hint: `Use Node.js ${RECOMMENDED}.` }];
  if (now > Date.parse(until))
    return [
      {
        code,
        level: 'should',
        title: `Node.js ${node} gets no corrections any more`,
        detail: `Its support ended on ${until}.`,
        hint: `Use Node.js ${RECOMMENDED}.`,
      },
    ];
  return [{ code, level: 'good', title: `Node.js ${node} is supported until ${until}` }];
}

/** Signs that differ; fewer than these can be tried. */
const LEAST_DIFFERENT = 10;

function operatorSecret({ chosenSecret }: DoctorFacts): Finding[] {
  const code = 'operator-secret';
  if (chosenSecret === undefined)
    return [{ code, level: 'good', title: 'The operator’s secret is the service’s own and cannot be guessed' }];
  const different = new Set(chosenSecret).size;
  const isWord = /secret|password|changeme|verbalis|operator|admin|12345|qwert/i.test(chosenSecret);
  if (different >= LEAST_DIFFERENT && !isWord) return [{ code, level: 'good', title: 'The operator’s secret is long and mixed' }];
  return [
    {
      code,
      level: 'must',
      title: 'The operator’s secret can be guessed',
      detail: isWord ? 'It has a common word in it.' : `It has only ${different} different characters.`,
      hint: 'Set VERBALIS_OPERATOR_SECRET to the output of: openssl rand -base64 24. Or leave it out: the service makes its own.',
    },
  ];
}

const GROUP_OR_OTHERS = 0o077;
const [OWNER_ONLY, FOLDER_OWNER_ONLY] = [0o600, 0o700];

/** Whether a mode, as the system gives it, is that of a folder. */
const isFolder = (mode: number): boolean => (mode & 0o170000) === 0o040000;

function files({ files: all }: DoctorFacts): Finding[] {
  const open = all.filter(({ mode }) => mode !== undefined && (mode & GROUP_OR_OTHERS) !== 0);
  if (open.length === 0) return [{ code: 'file-modes', level: 'good', title: 'Only the service’s user can read its secrets and records' }];
  return open.map(({ name, path, mode = 0, hasSecrets }) => ({
    code: 'file-modes',
    level: hasSecrets ? ('must' as const) : ('should' as const),
    title: `Other users of this machine can read ${name}`,
    detail: `${path} has the mode ${(mode & 0o777).toString(8)}.`,
    hint: `chmod ${(isFolder(mode) ? FOLDER_OWNER_ONLY : OWNER_ONLY).toString(8)} ${path}`,
  }));
}

function openListeners(facts: DoctorFacts): Finding[] {
  const { listening, publicUrl, hasProxies } = facts;
  const isBehindTls = publicUrl?.startsWith('https:') === true;
  const findings = listening.flatMap(({ name, host, port, takesSecrets, hasTls }: Listening): Finding[] => {
    if (isHere(host) || hasTls || !takesSecrets) return [];
    return [
      {
        code: 'open-listener',
        level: 'must',
        title: `${name} can be reached from other machines without TLS`,
        detail: `It listens on ${host}:${port}: keys and sessions can be read on the way.`,
        hint: 'Listen on 127.0.0.1 and put a proxy with TLS before it (docs/production.md), or give it a certificate.',
      },
    ];
  });
  const web = listening[0];
  if (web !== undefined && !isHere(web.host) && isBehindTls && !hasProxies)
    findings.push({
      code: 'proxies',
      level: 'should',
      title: 'No proxy is trusted, though publicUrl is one',
      detail: 'Every request seems to come from the proxy: limits by address hold for all together.',
      hint: 'Set listen.trustProxy to its address.',
    });
  return findings.length > 0
    ? findings
    : [{ code: 'open-listener', level: 'good', title: 'Secrets travel only on this machine or with TLS' }];
}

function topics({ spaces, publicUrl }: DoctorFacts): Finding[] {
  if (publicUrl !== undefined) return [];
  return spaces
    .filter(({ delivers, optionalTopics }) => delivers && optionalTopics.length > 0)
    .map(({ name, optionalTopics }) => ({
      code: 'public-url',
      level: 'must' as const,
      title: `Optional email of "${name}" cannot be sent: there is no publicUrl`,
      detail: `Recipients of ${inList(optionalTopics)} could not unsubscribe.`,
      hint: 'Set publicUrl to the address under which recipients reach the service.',
    }));
}

function domains({ spaces }: DoctorFacts): Finding[] {
  const findings = spaces.flatMap(({ name, delivers, unsignedDomains }): Finding[] =>
    delivers
      ? (unsignedDomains ?? []).map((domain) => ({
          code: 'unsigned-domain',
          level: 'must',
          title: `Email of "${name}" as ${domain} is not signed`,
          detail: 'Receivers refuse or file it as spam (DKIM, RFC 6376).',
          hint: `verbalis domains add ${domain}, then publish the records that it shows.`,
        }))
      : [],
  );
  const delivering = spaces.filter(({ delivers }) => delivers);
  const isKnown = delivering.every(({ unsignedDomains }) => unsignedDomains !== undefined);
  if (findings.length > 0 || delivering.length === 0 || !isKnown) return findings;
  return [{ code: 'unsigned-domain', level: 'good', title: 'The domains that email is sent as are signed' }];
}

function editions({ spaces }: DoctorFacts): Finding[] {
  return spaces
    .filter(({ delivers, isPublished }) => delivers && !isPublished)
    .map(({ name }) => ({
      code: 'no-edition',
      level: 'should' as const,
      title: `Nothing is published in "${name}"`,
      hint: `verbalis publish MAILFOLDER --space ${name}, or set its mailFolder.`,
    }));
}

function providers({ providers: all, spaces }: DoctorFacts): Finding[] {
  const findings: Finding[] = spaces
    .filter(({ delivers, providers: route }) => delivers && route.length === 0)
    .map(({ name }) => ({
      code: 'no-route',
      level: 'must' as const,
      title: `The space "${name}" delivers, and has no provider`,
      hint: `Set spaces.${name}.route.`,
    }));
  for (const { name, isOutside, isUsed, hasAccepted, trouble, isInTheOpen } of all) {
    if (!isUsed) continue;
    if (trouble !== undefined)
      findings.push({
        code: 'provider-trouble',
        level: 'must',
        title: `The provider "${name}" is in trouble`,
        detail: trouble,
        hint: `verbalis providers test ${name}`,
      });
    else if (isOutside && !hasAccepted)
      findings.push({
        code: 'provider-untested',
        level: 'should',
        title: `The provider "${name}" has never accepted an email`,
        hint: `verbalis providers test ${name} --to YOU`,
      });
    if (isInTheOpen)
      findings.push({
        code: 'provider-in-the-open',
        level: 'should',
        title: `Email travels to the provider "${name}" in the open`,
        hint: `Set providers.${name}.tls.mode to starttls or implicit.`,
      });
  }
  if (findings.length === 0 && all.some(({ isUsed, isOutside }) => isUsed && isOutside))
    findings.push({ code: 'provider-untested', level: 'good', title: 'Every provider that is used has accepted email' });
  return findings;
}

function clock({ now, records }: DoctorFacts): Finding[] {
  const newest = records?.newestAt;
  if (newest === undefined || newest <= now + 60_000) return [];
  return [
    {
      code: 'clock',
      level: 'must',
      title: 'The clock of this machine is behind',
      detail: `The newest record is of ${new Date(newest).toISOString()}; it is ${new Date(now).toISOString()} here.`,
      hint: 'Let the machine keep its time by NTP (timedatectl).',
    },
  ];
}

function disk({ disk: { path, freeBytes, totalBytes } }: DoctorFacts): Finding[] {
  const free = freeBytes >= GIB ? `${(freeBytes / GIB).toFixed(1)} GiB` : `${Math.round(freeBytes / MIB)} MiB`;
  const code = 'disk';
  const title = `${free} are left on the disk of the database`;
  if (freeBytes < 200 * MIB) return [{ code, level: 'must', title, detail: path, hint: 'Below 32 MiB the service takes no more work.' }];
  if (freeBytes < GIB || freeBytes < totalBytes * 0.05)
    return [{ code, level: 'should', title, detail: path, hint: 'Make room, or keep less: keep.mailDays.' }];
  return [{ code, level: 'good', title }];
}

const OLD_BACKUP_DAYS = 7;

function backups({ now, backups: { folder, lastAt, isCopying }, spaces }: DoctorFacts): Finding[] {
  const code = 'backup';
  if (isCopying) return [{ code, level: 'good', title: 'Every change is copied continuously' }];
  if (lastAt !== undefined && now - lastAt < OLD_BACKUP_DAYS * DAY)
    return [{ code, level: 'good', title: `The last backup is of ${dayOf(lastAt)}` }];
  const level = spaces.some(({ delivers }) => delivers) ? 'must' : 'should';
  if (folder === undefined)
    return [
      {
        code,
        level,
        title: 'No backups are made',
        detail: 'If the disk is lost, everything is: emails still to be sent, suppressions, and the signing keys.',
        hint: 'Set backup.folder, best on another disk, or copies.folder (docs/backup.md). Keep the secrets file with it.',
      },
    ];
  const title = lastAt === undefined ? 'No backup was made yet' : `The last backup is of ${dayOf(lastAt)}`;
  return [{ code, level, title, hint: 'See why: verbalis backups' }];
}

function cluster({ cluster: found }: DoctorFacts): Finding[] {
  if (found === undefined) return [];
  const findings: Finding[] = [];
  if (found.trouble !== undefined)
    findings.push({
      code: 'cluster-standby',
      level: 'must',
      title: 'No standby could take over',
      detail: found.trouble,
      hint: 'See which nodes there are: verbalis cluster status',
    });
  else if (found.isKnown) findings.push({ code: 'cluster-standby', level: 'good', title: 'A standby has every change' });
  if (found.servers < 3)
    findings.push({
      code: 'cluster-brokers',
      level: 'should',
      title: `The cluster has ${found.servers} ${found.servers === 1 ? 'broker' : 'brokers'}`,
      detail: 'With fewer than three, the loss of one stops the service.',
      hint: 'Run three brokers on three machines (docs/cluster.md).',
    });
  if (!found.isSafe)
    findings.push({
      code: 'cluster-open',
      level: 'must',
      title: 'Connections to the brokers are not encrypted',
      detail: 'Every change goes over them, with the addresses and texts of emails.',
      hint: 'Set cluster.tls, and a user or credentials.',
    });
  return findings;
}

function signingIn({ records, canSendLinks, linkSpace, publicUrl }: DoctorFacts): Finding[] {
  if (linkSpace !== undefined && !canSendLinks)
    return [
      {
        code: 'link-space',
        level: 'must',
        title: `The space "${linkSpace}" cannot send links to sign in`,
        detail: 'It captures, is restricted to some recipients, or is not configured.',
        hint: 'Set people.space to a space that delivers to everybody, or leave it out.',
      },
    ];
  if (publicUrl !== undefined || (records?.people ?? 0) === 0) return [];
  return [
    {
      code: 'link-address',
      level: 'should',
      title: 'People cannot ask for a link to sign in: there is no publicUrl',
      detail: 'A link must not lead to a host that a request has named.',
      hint: 'Set publicUrl to the address under which people reach the console.',
    },
  ];
}

function firstSteps({ records, canSendLinks, spaces }: DoctorFacts): Finding[] {
  const findings: Finding[] = [];
  const [space = 'SPACE'] = spaces.map(({ name }) => name);
  if (records === undefined || records.activeKeys === 0)
    findings.push({
      code: 'no-key',
      level: 'should',
      title: 'No app can use the service yet: there is no key',
      hint: `verbalis keys add APP --space ${space} --scopes send,read`,
    });
  if (records === undefined || records.people === 0)
    findings.push({
      code: 'no-people',
      level: 'should',
      title: 'No one is invited: all people share one secret',
      hint: `verbalis people invite YOU@… --role "*=operator"${canSendLinks ? '' : ' --link'}`,
    });
  if ((records?.quarantined ?? 0) > 0)
    findings.push({
      code: 'quarantine',
      level: 'should',
      title: `${String(records?.quarantined)} ${records?.quarantined === 1 ? 'item waits' : 'items wait'} in quarantine`,
      hint: 'verbalis quarantine list',
    });
  return findings;
}

const CHECKS = [
  runtime,
  operatorSecret,
  files,
  openListeners,
  topics,
  domains,
  editions,
  providers,
  clock,
  disk,
  backups,
  cluster,
  signingIn,
  firstSteps,
] as const;
const ORDER = { must: 0, should: 1, good: 2 } as const;

/** What is missing or risky: what must be done first. */
export function diagnose(facts: DoctorFacts): Finding[] {
  return CHECKS.flatMap((check) => check(facts)).sort((a, b) => ORDER[a.level] - ORDER[b.level]);
}
