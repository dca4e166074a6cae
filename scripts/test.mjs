// npm test: installs what the tests need, then runs everything that must be right: see checks.mjs.
import { checks } from './checks.mjs';

await checks(process.argv.slice(2));
