// Follows links at a rate, whether or not others wait, and prints how long the slowest of a hundred took, in milliseconds:
// node follow.mjs URL PATHS_FILE RATE SECONDS
import { readFileSync } from 'node:fs';
import { Agent, get } from 'node:http';

const [, , url, pathsFile, rate, seconds] = process.argv;
const paths = JSON.parse(readFileSync(pathsFile, 'utf8'));
const agent = new Agent({ keepAlive: true, maxSockets: 100 });
const headers = { 'user-agent': 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0' };

const timed = (at) =>
  new Promise((done, failed) => {
    const begin = performance.now();
    get(url + at, { agent, headers }, (response) => {
      response.resume();
      response.once('end', () => done(performance.now() - begin));
    }).once('error', failed);
  });

const answers = [];
const begin = performance.now();
while (performance.now() - begin < seconds * 1000) {
  const due = Math.floor(((performance.now() - begin) / 1000) * rate);
  while (answers.length < due) answers.push(timed(paths[answers.length % paths.length]));
  await new Promise((done) => setTimeout(done, 2));
}
const times = (await Promise.all(answers)).sort((a, b) => a - b);
console.log(
  JSON.stringify({ followed: times.length, median: times[Math.floor(times.length / 2)], p99: times[Math.floor(times.length * 0.99)] }),
);
process.exit(0);
