import { spawnSync } from 'node:child_process';
import { chmodSync, chownSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createSocket } from 'node:dgram';
import { createServer } from 'node:net';
import { join } from 'node:path';
import { makeCertificates, type Certificates } from './secure.js';

export const POSTFIX = '/usr/sbin/postfix';

/**
 * Ports below those that the system gives to connections, which could take one at any time. Each worker of Jest goes through a range of its
 * own, so that none gets what another has just found to be free.
 */
const [LOWEST, RANGES, EACH] = [20_000, 8, 1_500];
const lowest = LOWEST + (Number(process.env['JEST_WORKER_ID'] ?? 0) % RANGES) * EACH;
let next = Math.floor(Math.random() * EACH);

/** Whether nobody listens on a port of loopback, neither for TCP nor for UDP. */
async function isFree(port: number): Promise<boolean> {
  const server = createServer();
  const socket = createSocket('udp4');
  const opened = await Promise.all([
    new Promise<boolean>((done) => server.once('error', () => done(false)).listen(port, '127.0.0.1', () => done(true))),
    new Promise<boolean>((done) => socket.once('error', () => done(false)).bind(port, '127.0.0.1', () => done(true))),
  ]);
  if (server.listening) await new Promise((done) => server.close(done));
  socket.close();
  return opened.every(Boolean);
}

/** The first of so many ports in a row that nobody uses. */
export async function freePorts(count: number): Promise<number> {
  for (;;) {
    if (next + count > EACH) next = 0;
    const first = lowest + next;
    next += count;
    const free = await Promise.all(Array.from({ length: count }, (_, i) => isFree(first + i)));
    if (free.every(Boolean)) return first;
  }
}

export function freePort(): Promise<number> {
  return freePorts(1);
}

export interface PostfixOptions {
  /** Mailboxes that it keeps itself, as addresses. */
  readonly mailboxes: readonly string[];
  /** Domain to port: where mail for other domains is handed on, on loopback. */
  readonly routes: Readonly<Record<string, number>>;
  /** Users by name that may hand mail in over TLS, with a login. */
  readonly users?: Readonly<Record<string, string>>;
  /** Changes the bodies of emails on their way, as a relay does that adds footers. */
  readonly changesBodies?: boolean;
}

export interface Postfix {
  readonly port: number;
  /** Wants TLS and a login. */
  readonly submissionPort: number;
  /** TLS from the first byte. */
  readonly implicitPort: number;
  readonly certificates: Certificates | undefined;
  /** Files delivered to a mailbox. */
  readonly delivered: (address: string) => string[];
  readonly log: () => string;
  readonly stop: () => void;
}

function id(user: string, flag: '-u' | '-g'): number {
  return Number(spawnSync('id', [flag, user], { encoding: 'utf8' }).stdout.trim());
}

const SERVICES = `
pickup    unix  n - n 60 1 pickup
cleanup   unix  n - n - 0 cleanup
qmgr      unix  n - n 1 1 qmgr
rewrite   unix  - - n - - trivial-rewrite
bounce    unix  - - n - 0 bounce
defer     unix  - - n - 0 bounce
trace     unix  - - n - 0 bounce
verify    unix  - - n - 1 verify
flush     unix  n - n 1000? 0 flush
proxymap  unix  - - n - - proxymap
smtp      unix  - - n - - smtp
error     unix  - - n - - error
retry     unix  - - n - - error
discard   unix  - - n - - discard
virtual   unix  - n n - - virtual
anvil     unix  - - n - 1 anvil
scache    unix  - - n - 1 scache
tlsmgr    unix  - - n 1000? 1 tlsmgr
postlog   unix-dgram n - n - 1 postlogd
`;

/** A Postfix of the test's own: its configuration, queue and mailboxes in one temporary folder, on a free port. Needs root. */
export async function startPostfix(options: PostfixOptions): Promise<Postfix> {
  // Postfix insists on owning its folders; those of /tmp that only root may enter would keep it out.
  const base = mkdtempSync('/tmp/verbalis-postfix-');
  chmodSync(base, 0o755);
  const [uid, gid] = [id('postfix', '-u'), id('postfix', '-g')];
  const port = await freePort();
  for (const folder of ['conf', 'queue', 'data', 'mail']) mkdirSync(join(base, folder));
  chownSync(join(base, 'data'), uid, gid);
  chownSync(join(base, 'mail'), uid, gid);
  const secure = options.users === undefined ? undefined : makeCertificates(join(base, 'conf'), 'mx.postfix.example');
  const submissionPort = await freePort();
  const implicitPort = await freePort();
  // Debian's Postfix looks for it below its configuration.
  const saslConf = join(base, 'conf/sasl/smtpd.conf');
  if (options.users !== undefined) {
    mkdirSync(join(base, 'conf/sasl'));
    mkdirSync(join(base, 'sasl'));
    const db = join(base, 'sasl/db');
    writeFileSync(saslConf, `pwcheck_method: auxprop\nauxprop_plugin: sasldb\nsasldb_path: ${db}\nmech_list: PLAIN LOGIN CRAM-MD5\n`);
    for (const [user, password] of Object.entries(options.users)) {
      const made = spawnSync('saslpasswd2', ['-p', '-c', '-f', db, '-u', 'postfix.example', user], { input: password, encoding: 'utf8' });
      if (made.status !== 0) throw new Error(`saslpasswd2: ${made.stderr}`);
    }
    chownSync(db, uid, gid);
  }
  const submission =
    secure === undefined
      ? ''
      : `127.0.0.1:${submissionPort} inet n - n - - smtpd -o smtpd_tls_security_level=encrypt -o smtpd_sasl_auth_enable=yes -o smtpd_relay_restrictions=permit_sasl_authenticated,reject -o smtpd_recipient_restrictions=\n127.0.0.1:${implicitPort} inet n - n - - smtpd -o smtpd_tls_wrappermode=yes -o smtpd_sasl_auth_enable=yes -o smtpd_relay_restrictions=permit_sasl_authenticated,reject -o smtpd_recipient_restrictions=\n`;
  const domains = [...new Set(options.mailboxes.map((mailbox) => mailbox.split('@')[1] ?? ''))];
  writeFileSync(join(base, 'conf/mailboxes'), options.mailboxes.map((mailbox) => `${mailbox} ${mailbox}/\n`).join(''));
  writeFileSync(
    join(base, 'conf/transport'),
    Object.entries(options.routes)
      .map(([domain, to]) => `${domain} smtp:[127.0.0.1]:${to}\n`)
      .join(''),
  );
  writeFileSync(
    join(base, 'conf/main.cf'),
    `compatibility_level = 3.6
queue_directory = ${base}/queue
data_directory = ${base}/data
maillog_file = ${base}/log
maillog_file_prefixes = ${base}
mail_owner = postfix
myhostname = mx.postfix.example
mydomain = postfix.example
mydestination =
inet_interfaces = 127.0.0.1
inet_protocols = ipv4
mynetworks = 127.0.0.0/8
smtpd_relay_restrictions = permit_mynetworks, reject
smtputf8_enable = yes
alias_maps =
alias_database =
local_recipient_maps =
virtual_mailbox_domains = ${domains.join(' ')}
virtual_mailbox_base = ${base}/mail
virtual_mailbox_maps = texthash:${base}/conf/mailboxes
virtual_uid_maps = static:${uid}
virtual_gid_maps = static:${gid}
virtual_minimum_uid = 1
transport_maps = texthash:${base}/conf/transport
smtp_host_lookup = native
smtp_tls_security_level = may
relayhost =
${options.changesBodies === true ? `body_checks = regexp:${base}/conf/body\n` : ''}${secure === undefined ? '' : `smtpd_tls_cert_file = ${secure.certFile}\nsmtpd_tls_key_file = ${secure.keyFile}\nsmtpd_sasl_local_domain = postfix.example\nbroken_sasl_auth_clients = yes\n`}`,
  );
  writeFileSync(join(base, 'conf/body'), '/^(This email tests.*)$/ REPLACE $1 -- Scanned by the relay\n');
  writeFileSync(join(base, 'conf/master.cf'), `127.0.0.1:${port} inet n - n - - smtpd\n${submission}${SERVICES.trimStart()}`);
  const postfix = (...args: string[]) => spawnSync(POSTFIX, ['-c', join(base, 'conf'), ...args], { encoding: 'utf8' });
  const started = postfix('start');
  const log = (): string => (existsSync(join(base, 'log')) ? readFileSync(join(base, 'log'), 'utf8') : '');
  if (started.status !== 0) throw new Error(`Postfix did not start: ${started.stderr}\n${log()}`);
  return {
    port,
    submissionPort,
    implicitPort,
    certificates: secure,
    log,
    delivered: (address) => {
      const folder = join(base, 'mail', address, 'new');
      return existsSync(folder) ? readdirSync(folder).map((name) => join(folder, name)) : [];
    },
    stop: () => {
      postfix('stop');
      rmSync(base, { recursive: true, force: true, maxRetries: 20, retryDelay: 100 });
    },
  };
}
