import { createServer, type RequestListener } from 'node:http';
import Sqlite from 'better-sqlite3';
import { connect } from './mail.js';
import { emptyOutbox, TABLES } from './record-change.js';
import { signUp } from './sign-up.js';
import { weeklySummary } from './weekly-summary.js';

const { VERBALIS_URL = 'http://127.0.0.1:8620', VERBALIS_KEY, SOURCE_SECRET = '' } = process.env;
if (VERBALIS_KEY === undefined) {
  process.stderr.write('Set VERBALIS_KEY to a key with the scope send, and SOURCE_SECRET to what "verbalis bulk-sends secret" prints.\n');
  process.exit(2);
}
const mail = connect(VERBALIS_URL, VERBALIS_KEY);
const listen = (port: number, app: RequestListener, what: string): void => {
  createServer(app).listen(port, '127.0.0.1', () => process.stdout.write(`${what}: http://127.0.0.1:${port}\n`));
};

listen(8650, signUp(mail), 'POST /accounts {"name", "address"}');
listen(
  8651,
  weeklySummary(() => [], SOURCE_SECRET),
  'recipients of the weekly summary',
);

const db = new Sqlite('ferries.sqlite');
if (db.prepare("select 1 from sqlite_master where name = 'outbox'").get() === undefined) db.exec(TABLES);
setInterval(() => {
  emptyOutbox(db, mail).catch((error: unknown) => {
    // What is in the outbox stays there until the service takes it.
    process.stderr.write(`${error instanceof Error ? error.message : String(error)}\n`);
  });
}, 1000);
