// node scripts/return-samples.mjs [FOLDER]: runs real mail systems on loopback, lets a scripted next hop refuse their mail in many ways, and
// keeps the reports that they send back, one file each, in FOLDER/<system>. Needs root, Postfix, and Exim and OpenSMTPD unpacked.
// What these reports must be read as is in expected.json beside them, written by hand.
import { spawn, spawnSync } from 'node:child_process';
import { chmodSync, chownSync, existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { createConnection, createServer } from 'node:net';
import { join, resolve } from 'node:path';

const out = resolve(process.argv[2] ?? 'tests/fixtures/returns');
const RETURNS = 'returns.saltmarsh-ferries.example';
const sleep = (ms) => new Promise((done) => setTimeout(done, ms));

/** What the next hop answers, by local part: to RCPT, or to the whole mail. */
const SCRIPT = {
  unknown: ['rcpt', '550 5.1.1 <unknown@post.example>: Recipient address rejected: User unknown in virtual mailbox table'],
  bare: ['rcpt', '550 No such user here'],
  'many-lines': [
    'rcpt',
    '550-5.2.1 The account that you tried to reach\r\n550-5.2.1 is disabled. Learn more at\r\n550 5.2.1 https://help.post.example/disabled',
  ],
  full: ['rcpt', '552 5.2.2 <full@post.example>: Quota exceeded (mailbox for user is full)'],
  policy: ['rcpt', '554 5.7.1 <policy@post.example>: Message rejected for policy reasons'],
  'wrong-words': ['rcpt', '550 5.7.1 mailbox is full'],
  large: ['data', '552 5.3.4 Message size exceeds fixed limit'],
  spam: ['data', '550 5.7.1 This message was identified as spam'],
  grey: ['rcpt', '450 4.2.0 <grey@post.example>: Recipient address rejected: Greylisted, come back later'],
  'full-now': ['rcpt', '452 4.2.2 Mailbox full'],
  fine: ['data', '250 2.0.0 Ok: queued'],
};
const ADDRESSES = [...Object.keys(SCRIPT).map((one) => `${one}@post.example`), 'gone@refused.example', 'gone@nohost.invalid'];

const kept = [];

async function nextHop() {
  const server = createServer((socket) => {
    let buffer = '';
    let data = false;
    let to = '';
    const say = (line) => socket.write(`${line}\r\n`);
    say('220 hop ESMTP');
    socket.on('error', () => {});
    socket.on('data', (chunk) => {
      buffer += chunk.toString('latin1');
      for (;;) {
        if (data) {
          const end = buffer.indexOf('\r\n.\r\n');
          if (end === -1) return;
          const mail = buffer.slice(0, end + 2).replace(/^\.\./gm, '.');
          buffer = buffer.slice(end + 5);
          data = false;
          if (to.endsWith(`@${RETURNS}`)) kept.push({ to, mail: Buffer.from(mail, 'latin1') });
          const [when, reply] = SCRIPT[to.split('@')[0]] ?? [];
          say(when === 'data' ? reply : '250 2.0.0 Ok');
          continue;
        }
        const end = buffer.indexOf('\n');
        if (end === -1) return;
        const line = buffer.slice(0, end).trim();
        buffer = buffer.slice(end + 1);
        const [verb] = line.toUpperCase().split(/[ :]/);
        if (verb === 'EHLO') say('250-hop\r\n250-8BITMIME\r\n250-SIZE 10000000\r\n250 ENHANCEDSTATUSCODES');
        else if (verb === 'RCPT') {
          to = /<([^>]*)>/.exec(line)?.[1] ?? '';
          const [when, reply] = SCRIPT[to.split('@')[0]] ?? [];
          say(when === 'rcpt' ? reply : '250 2.1.5 Ok');
        } else if (verb === 'DATA') {
          data = true;
          say('354 go on');
        } else if (verb === 'QUIT') {
          say('221 bye');
          socket.end();
        } else say('250 2.0.0 Ok');
      }
    });
  });
  await new Promise((done) => server.listen(0, '127.0.0.1', done));
  return { port: server.address().port, close: () => server.close() };
}

async function freePort() {
  const server = createServer();
  await new Promise((done) => server.listen(0, '127.0.0.1', done));
  const { port } = server.address();
  await new Promise((done) => server.close(done));
  return port;
}

/** Hands one mail in, wanting every kind of report. */
async function hand(port, system, address) {
  const name = address.replace('@post.example', '').replace(/[@.]/g, '-');
  const socket = createConnection(port, '127.0.0.1');
  let text = '';
  socket.on('data', (chunk) => (text += chunk.toString()));
  socket.on('error', () => {});
  let seen = 0;
  const reply = async () => {
    for (let i = 0; i < 400; i += 1) {
      const found = /^(\d{3}) [^\n]*\n/m.exec(text.slice(seen));
      if (found) {
        seen += found.index + found[0].length;
        return found[0];
      }
      await sleep(25);
    }
    throw new Error(`${system} does not answer: ${text}`);
  };
  await reply();
  socket.write('EHLO harbour.saltmarsh-ferries.example\r\n');
  await reply();
  const dsn = /DSN/.test(text);
  const commands = [
    `MAIL FROM:<returns+${system}-${name}@${RETURNS}>${dsn ? ` RET=HDRS ENVID=d-${name}` : ''}`,
    `RCPT TO:<${address}>${dsn ? ` NOTIFY=SUCCESS,FAILURE,DELAY ORCPT=rfc822;${address}` : ''}`,
    'DATA',
    `From: Saltmarsh Ferries <harbour@saltmarsh-ferries.example>\r\nTo: ${address}\r\nSubject: Your booking\r\nMessage-ID: <${system}-${name}@saltmarsh-ferries.example>\r\nDate: Mon, 2 Mar 2026 09:00:00 +0000\r\n\r\nYou are on board.\r\n.`,
    'QUIT',
  ];
  for (const command of commands) {
    socket.write(`${command}\r\n`);
    const said = await reply();
    if (/^[45]/.test(said)) console.error(`${system} ${address}: ${said.trim()}`);
  }
  socket.end();
}

function user(name) {
  if (spawnSync('id', [name]).status !== 0) spawnSync('useradd', ['--system', '--no-create-home', '--shell', '/usr/sbin/nologin', name]);
}

async function up(port) {
  for (let i = 0; i < 200; i += 1) {
    const ok = await new Promise((done) =>
      createConnection(port, '127.0.0.1')
        .on('connect', function () {
          this.destroy();
          done(true);
        })
        .on('error', () => done(false)),
    );
    if (ok) return;
    await sleep(100);
  }
  throw new Error(`Nothing listens on ${port}.`);
}

const SYSTEMS = {
  async postfix(hop) {
    const base = mkdtempSync('/tmp/samples-postfix-');
    chmodSync(base, 0o755);
    const port = await freePort();
    for (const folder of ['conf', 'queue', 'data']) mkdirSync(join(base, folder));
    const id = (flag) => Number(spawnSync('id', [flag, 'postfix'], { encoding: 'utf8' }).stdout);
    chownSync(join(base, 'data'), id('-u'), id('-g'));
    writeFileSync(join(base, 'conf/transport'), 'refused.example smtp:[127.0.0.1]:1\nnohost.invalid smtp:\n');
    writeFileSync(
      join(base, 'conf/main.cf'),
      `compatibility_level = 3.6
queue_directory = ${base}/queue
data_directory = ${base}/data
maillog_file = ${base}/log
maillog_file_prefixes = ${base}
mail_owner = postfix
myhostname = mx.postfix.example
mydestination =
inet_interfaces = 127.0.0.1
inet_protocols = ipv4
mynetworks = 127.0.0.0/8
smtpd_relay_restrictions = permit_mynetworks, reject
alias_maps =
alias_database =
relayhost = [127.0.0.1]:${hop}
transport_maps = texthash:${base}/conf/transport
smtp_dns_support_level = disabled
smtp_host_lookup = native
minimal_backoff_time = 2s
maximal_backoff_time = 2s
queue_run_delay = 2s
maximal_queue_lifetime = 14s
bounce_queue_lifetime = 14s
delay_warning_time = 4s
`,
    );
    writeFileSync(
      join(base, 'conf/master.cf'),
      `127.0.0.1:${port} inet n - n - - smtpd
pickup unix n - n 60 1 pickup
cleanup unix n - n - 0 cleanup
qmgr unix n - n 1 1 qmgr
rewrite unix - - n - - trivial-rewrite
bounce unix - - n - 0 bounce
defer unix - - n - 0 bounce
trace unix - - n - 0 bounce
verify unix - - n - 1 verify
flush unix n - n 1000? 0 flush
proxymap unix - - n - - proxymap
tlsmgr unix - - n 1000? 1 tlsmgr
smtp unix - - n - - smtp
error unix - - n - - error
retry unix - - n - - error
anvil unix - - n - 1 anvil
scache unix - - n - 1 scache
postlog unix-dgram n - n - 1 postlogd
`,
    );
    const made = spawnSync('postfix', ['-c', join(base, 'conf'), 'start'], { encoding: 'utf8' });
    if (process.env.DEBUG) console.error(made.stderr);
    return {
      port,
      stop: () => {
        spawnSync('postfix', ['-c', join(base, 'conf'), 'stop']);
        rmSync(base, { recursive: true, force: true });
      },
    };
  },
  async exim(hop) {
    const binary = process.env.EXIM ?? resolve('node_modules/.cache/exim/usr/sbin/exim4');
    if (!existsSync(binary)) return undefined;
    user('Debian-exim');
    const base = mkdtempSync('/tmp/samples-exim-');
    chmodSync(base, 0o755);
    mkdirSync(join(base, 'spool'));
    spawnSync('chown', ['-R', 'Debian-exim', base]);
    const port = await freePort();
    const conf = join(base, 'conf');
    writeFileSync(
      conf,
      `exim_path = ${binary}
spool_directory = ${base}/spool
log_file_path = ${base}/spool/%slog
pid_file_path = ${base}/spool/pid
primary_hostname = mx.exim.example
keep_environment =
acl_smtp_rcpt = accept
acl_smtp_data = accept
dsn_advertise_hosts = *
tls_advertise_hosts =
delay_warning = 4s
delay_warning_condition = yes
queue_run_max = 5
begin routers
refused:
  driver = manualroute
  domains = refused.example
  route_data = 127.0.0.1
  transport = closed
  self = send
  host_all_ignored = freeze
all:
  driver = manualroute
  domains = ! *.invalid
  route_data = 127.0.0.1
  self = send
  transport = hop
begin transports
hop:
  driver = smtp
  port = ${hop}
  allow_localhost
closed:
  driver = smtp
  port = 1
  allow_localhost
begin retry
* * F,12s,3s
`,
    );
    const child = spawn(binary, ['-C', conf, '-bdf', '-q3s', '-oX', `127.0.0.1.${port}`], { stdio: 'ignore' });
    return {
      port,
      stop: () => {
        child.kill('SIGTERM');
        rmSync(base, { recursive: true, force: true });
      },
    };
  },
  async opensmtpd(hop) {
    const root = process.env.OPENSMTPD ?? '/tmp/mta/x/opensmtpd';
    const binary = join(root, 'usr/sbin/smtpd');
    if (!existsSync(binary)) return undefined;
    for (const name of ['opensmtpd', 'opensmtpq']) user(name);
    mkdirSync('/var/lib/opensmtpd/empty', { recursive: true });
    const base = mkdtempSync('/tmp/samples-opensmtpd-');
    chmodSync(base, 0o755);
    const port = await freePort();
    writeFileSync(
      join(base, 'conf'),
      `queue ttl 20s
bounce warn-interval 4s
listen on 127.0.0.1 port ${port} hostname mx.opensmtpd.example
action "hop" relay host smtp://127.0.0.1:${hop} helo mx.opensmtpd.example
action "refused" relay host smtp://127.0.0.1:1
action "direct" relay helo mx.opensmtpd.example
match from any for domain "refused.example" action "refused"
match from any for domain "nohost.invalid" action "direct"
match from any for any action "hop"
`,
    );
    const child = spawn(binary, ['-d', '-f', join(base, 'conf')], { stdio: process.env.DEBUG ? 'inherit' : 'ignore' });
    return {
      port,
      stop: () => {
        child.kill('SIGTERM');
        rmSync(base, { recursive: true, force: true });
      },
    };
  },
};

const hop = await nextHop();
const running = [];
for (const [name, start] of Object.entries(SYSTEMS)) {
  const system = await start(hop.port);
  if (system === undefined) {
    console.error(`${name} is not here.`);
    continue;
  }
  try {
    await up(system.port);
    for (const address of ADDRESSES) await hand(system.port, name, address).catch((error) => console.error(error.message));
  } catch (error) {
    console.error(name, error.message);
  }
  running.push(system);
}
await sleep(Number(process.env.PATIENCE ?? 60_000));
for (const system of running) system.stop();
hop.close();
const counts = new Map();
for (const { to, mail } of kept) {
  const [, system, name] = /^returns\+([a-z]+)-(.+)@/.exec(to) ?? [];
  if (system === undefined) continue;
  const n = (counts.get(to) ?? 0) + 1;
  counts.set(to, n);
  mkdirSync(join(out, system), { recursive: true });
  writeFileSync(join(out, system, `${name}${n === 1 ? '' : `-${n}`}.eml`), mail);
}
console.log(`${kept.length} reports kept in ${out}`);
process.exit(0);
