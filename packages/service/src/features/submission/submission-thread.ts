import { smtpThread } from '../smtp/thread.js';

smtpThread(async () => {
  const { readSubmitted } = await import('./reading.js');
  return ({ bytes }) => readSubmitted(bytes);
});
