import { signInApp } from './app.js';
import { sendByVerbalis } from './mail.js';

const { VERBALIS_URL = 'http://127.0.0.1:8620', VERBALIS_KEY, PORT = '8640' } = process.env;
if (VERBALIS_KEY === undefined) {
  process.stderr.write('Set VERBALIS_KEY to a key of a space: verbalis keys add crew --space drydock --scopes send\n');
  process.exit(2);
}
const url = `http://127.0.0.1:${PORT}`;
signInApp(sendByVerbalis(VERBALIS_URL, VERBALIS_KEY), () => url).listen(Number(PORT), '127.0.0.1', () => {
  process.stdout.write(`The crew desk is at ${url}\n`);
});
