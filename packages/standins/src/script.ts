import { z } from 'zod';

/** What the stand-in does with a recipient. */
export const Fate = z.enum(['accept', 'refuse', 'defer-twice', 'report-failed', 'report-delivered', 'complain']);
export type Fate = z.infer<typeof Fate>;

/** The stand-in's script: fates by address; whoever is not named is accepted. */
export const Script = z.record(z.string(), Fate);
export type Script = z.infer<typeof Script>;
