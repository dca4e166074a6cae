import * as z from 'zod';

/** What the simulator does with a recipient. */
export const ScriptedOutcome = z.enum(['accept', 'refuse', 'defer-twice', 'report-failed', 'report-delivered', 'complain']);
export type ScriptedOutcome = z.infer<typeof ScriptedOutcome>;

/** The simulator's script: outcomes by address; other addresses are accepted. */
export const Script = z.record(z.string(), ScriptedOutcome);
export type Script = z.infer<typeof Script>;
