// Loaded into a service that is proved (node --import): its date is another than that of the machine, and jumps when it is asked to.
import { readFileSync } from 'node:fs';

const file = new URL(import.meta.url).searchParams.get('file') ?? '';
const machine = Date.now;
const read = (): number => Number(readFileSync(file, 'utf8'));
let offset = read();
Date.now = () => machine() + offset;
process.on('SIGUSR2', () => {
  offset = read();
});
