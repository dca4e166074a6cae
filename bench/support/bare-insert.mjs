// The baseline of "accept": a bare Express handler that writes each request in a transaction of its own, as safely as we do.
import Sqlite from 'better-sqlite3';
import express from 'express';

const db = new Sqlite(process.argv[2]);
db.pragma('journal_mode = WAL');
db.pragma('synchronous = FULL');
db.exec('CREATE TABLE messages (id INTEGER PRIMARY KEY, body TEXT NOT NULL)');
const insert = db.prepare('INSERT INTO messages (body) VALUES (?)');
const app = express();
app.post('/v1/messages', express.json({ limit: '1mb' }), (request, response) => {
  const { lastInsertRowid } = insert.run(JSON.stringify(request.body));
  response.status(202).json({ id: String(lastInsertRowid) });
});
const server = app.listen(0, '127.0.0.1', () => console.log(JSON.stringify({ url: `http://127.0.0.1:${server.address().port}` })));
