import { proveReporter, type ReportMail } from '@verbalis/core/reports';
import { inThread } from '../../kernel/thread.js';
import { readReports } from './unpack.js';

inThread((remote) => ({
  read: ({ bytes }: { readonly bytes: Uint8Array }) => readReports(bytes),
  prove: ({ mail, seconds }: { readonly mail: ReportMail; readonly seconds: number }) =>
    proveReporter(mail, { ask: (name, type) => remote.call<never>('ask', { name, type }), seconds }),
}));
