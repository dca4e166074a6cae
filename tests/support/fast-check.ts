import type fastCheck from 'fast-check';
import { outside } from './outside.js';

/** The tables of its strings take a second to load. */
const { default: fc } = await outside<{ readonly default: typeof fastCheck }>('fast-check/lib/fast-check.js');

// On CI the same cases come each time, so that what fails there was changed there; everywhere else new ones are tried.
if (process.env['CI'] !== undefined) fc.configureGlobal({ seed: 20_261_128 });

export default fc;
