import { inThread } from '../../kernel/thread.js';
import { readReports } from './unpack.js';

inThread(() => ({ read: ({ bytes }: { readonly bytes: Uint8Array }) => readReports(bytes) }));
