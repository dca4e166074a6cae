// npm run demo: installs, builds, and starts the service with the demo's data.
import { spawn } from 'node:child_process';
import { installAndBuild, root } from './steps.mjs';

await installAndBuild();
const child = spawn(process.execPath, ['packages/cli/bin/verbalis.js', 'demo', ...process.argv.slice(2)], { cwd: root, stdio: 'inherit' });
// The terminal sends Ctrl+C to both; the demo ends first and takes its parts with it.
process.on('SIGINT', () => {});
process.on('SIGTERM', () => child.kill('SIGTERM'));
child.on('exit', (code) => process.exit(code ?? 1));
