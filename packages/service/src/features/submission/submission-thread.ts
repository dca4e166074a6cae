import { smtpThread } from '../smtp/index.js';
import { readSubmitted } from './reading.js';

smtpThread(({ bytes }) => readSubmitted(bytes));
