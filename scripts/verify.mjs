// npm run verify: build, lint, format, types, arrows, tests. One command before each commit, and what CI runs.
import { checks } from './checks.mjs';

await checks(process.argv.slice(2));
