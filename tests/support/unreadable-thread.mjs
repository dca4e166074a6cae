// A thread of a listener whose reader cannot be loaded: files that were replaced while it ran.
import { smtpThread } from '../../packages/service/dist/features/smtp/thread.js';

smtpThread(() => import('./there-is-none.mjs'));
