// A thread of a listener that some emails bring down.
import { smtpThread } from '../../packages/service/dist/features/smtp/thread.js';

smtpThread(async () => ({ bytes }) => {
  const text = bytes.toString().trim();
  if (text === 'fall') process.exit(3);
  if (text === 'throw') throw new Error('It cannot be read.');
  return text;
});
