// npm run verify: build, lint, format, types, arrows, tests. One command before each commit, and what CI runs.
import { checks } from './checks.mjs';
import { installAndBuild } from './steps.mjs';

await installAndBuild();
await checks(process.argv.slice(2));
