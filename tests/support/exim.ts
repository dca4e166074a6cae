import { spawn, spawnSync } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { createConnection } from 'node:net';
import { join } from 'node:path';
import { freePort } from './postfix.js';
import { ROOT, until } from './service.js';

export const EXIM = join(ROOT, 'node_modules/.cache/exim/usr/sbin/exim4');
const USER = 'Debian-exim';

export interface Exim {
  readonly port: number;
  /** The emails that have arrived, as bytes. */
  readonly delivered: () => Buffer[];
  readonly stop: () => Promise<void>;
}

/** Kills a group of processes. @returns whether there was one */
function endGroup(leader: number): boolean {
  try {
    return process.kill(-leader, 'SIGKILL');
  } catch {
    return false;
  }
}

/** An Exim of the test's own. It refuses nobody@…, and puts later@… off. Needs root. */
export async function startExim(): Promise<Exim> {
  if (spawnSync('id', [USER]).status !== 0) spawnSync('useradd', ['--system', '--no-create-home', '--shell', '/usr/sbin/nologin', USER]);
  const base = mkdtempSync('/tmp/verbalis-exim-');
  chmodSync(base, 0o755);
  const port = await freePort();
  for (const folder of ['spool', 'mail']) mkdirSync(join(base, folder));
  spawnSync('chown', ['-R', USER, base]);
  const conf = join(base, 'conf');
  writeFileSync(
    conf,
    `exim_path = ${EXIM}
spool_directory = ${base}/spool
log_file_path = ${base}/spool/%slog
pid_file_path = ${base}/spool/pid
primary_hostname = mx.exim.example
keep_environment =
acl_smtp_rcpt = check
acl_smtp_data = accept
smtputf8_advertise_hosts = *
chunking_advertise_hosts = *
dsn_advertise_hosts = *
tls_advertise_hosts =
begin acl
check:
  deny local_parts = nobody
       message = no such user here
  defer local_parts = later
        message = come back later
  accept
begin routers
all:
  driver = accept
  transport = file
begin transports
file:
  driver = appendfile
  directory = ${base}/mail
  maildir_format
  user = ${USER}
`,
  );
  const child = spawn(EXIM, ['-C', conf, '-bdf', '-oX', `127.0.0.1.${port}`], { stdio: 'ignore', detached: true });
  await until(
    () =>
      new Promise<true | undefined>((done) => {
        const socket = createConnection(port, '127.0.0.1', () => {
          socket.destroy();
          done(true);
        }).on('error', () => {
          done(undefined);
        });
      }),
  );
  return {
    port,
    // A maildir's "new" has whole emails only.
    delivered: () => {
      const folder = join(base, 'mail/new');
      return existsSync(folder) ? readdirSync(folder).map((name) => readFileSync(join(folder, name))) : [];
    },
    stop: async () => {
      // Exim delivers in processes of their own, which still write when the daemon has gone: the whole group ends.
      await until(() => (endGroup(child.pid ?? 0) ? undefined : true));
      rmSync(base, { recursive: true, force: true });
    },
  };
}
