import { takeSnapshot } from './snapshot.js';
import { inThread } from './thread.js';

inThread(() => ({
  take: ({ file, to, asOf }: { readonly file: string; readonly to: string; readonly asOf: number }) => takeSnapshot(file, to, asOf),
}));
