import { smtpThread } from '../smtp/thread.js';
import { readSubmitted } from './reading.js';

smtpThread(({ bytes }) => readSubmitted(bytes));
