// Proves soundness on cases of its own: whatever `check` accepts renders for all data that the schema accepts, and both parts say the same.
// The core that is looked at can be another one: what was found in an earlier one shows that this looks well.
import { parentPort, workerData } from 'node:worker_threads';
import { pathToFileURL } from 'node:url';
import fc from 'fast-check';
import { dataOf, filesOf, stream, wholeCase } from './generate.mjs';

const { core, seed, cases, compare, all } = workerData;
const load = (name) => import(pathToFileURL(`${core}/dist/${name}/index.js`).href);
const [{ linkFolder }, { folderCompiler }, { prepare }] = await Promise.all([load('folder'), load('program'), load('render')]);
const { compareParts } = await import(pathToFileURL(`${compare}/dist/check/index.js`).href);

const NOW = Date.parse('2026-06-04T08:00:00Z');
const RESIDUE = [
  [/\[object Object\]|\bNaN\b|\bInfinity\b|\bundefined\b/, 'residue'],
  [/[\uFDD0-\uFDEF]/, 'a hidden place'],
  // Every value stands in parentheses, and every value is required: there is nothing between them only where a value is missing.
  [/\(\s*\)|\((?:<[^>]*>)+\)/, 'a hole'],
  [/\s(?:href|src|background)="(?!https:\/\/(?:shop|fixed|data)\.example\/|mailto:)/, 'an address that leads elsewhere'],
];
const count = { cases: 0, templates: 0, accepted: 0, renderings: 0 };

const sourceOf = (files, name) => files[`templates/${name}/message.md`] ?? files[`templates/${name}/message.html`];

/** What is wrong with one mail. */
function lookAt({ render, data, locale, files, name }) {
  const told = (what) =>
    `${what}\n\n${sourceOf(files, name)}\n\nschema ${files[`templates/${name}/data.schema.json`]}\ndata ${JSON.stringify(data)}\nlocale ${locale}\n${files['blocks/own.md']}`;
  let mail;
  try {
    mail = render({ data, now: NOW });
  } catch (error) {
    return told(`does not render: ${error.stack}`);
  }
  // A list without entries joined to a text is an empty text.
  const residue = /\| (?:list|join)/.test(sourceOf(files, name) + files['blocks/own.md'])
    ? RESIDUE.filter(([, what]) => what !== 'a hole')
    : RESIDUE;
  for (const [pattern, what] of residue)
    for (const part of [mail.subject, mail.html.replace(/<style>[\s\S]*?<\/style>/g, ''), mail.text])
      if (pattern.test(part)) return told(`${what} in ${part}`);
  const [different] = compareParts(mail.html, mail.text);
  if (different !== undefined)
    return told(`the ${different.missingIn} lacks ${different.what}\n${mail.text}\n${mail.html.slice(mail.html.indexOf('<body'))}`);
  return undefined;
}

/** Counts templates, each with its data. */
function counted(templates, datas) {
  count.templates += templates;
  count.cases += templates * datas;
}

/** What is wrong with a case: the first fault, told at length; undefined when nothing is. `each` is called with every fault. */
function faultOf(one, each) {
  const files = filesOf(one);
  const project = linkFolder(new Map(Object.entries(files).map(([path, text]) => [path, Buffer.from(text)])));
  if (project.problems.some((problem) => problem.severity === 'error')) {
    counted(one.templates.length, one.choices.length);
    return undefined;
  }
  const compiler = folderCompiler(project);
  const broken = compiler.problems.some((problem) => problem.severity === 'error');
  const datas = one.choices.map((list) => dataOf(one.tree, stream(list)));
  for (const [name, template] of project.templates) {
    counted(1, datas.length);
    const compiled = compiler.template(name);
    if (broken || compiled === undefined || compiled.programs.size === 0) continue;
    count.accepted += 1;
    for (const [locale, program] of compiled.programs) {
      const render = prepare(program);
      for (const data of datas) {
        if (template.checkData(data).length > 0) continue;
        count.renderings += 1;
        const fault = lookAt({ render, data, locale, files, name });
        if (fault !== undefined && each !== undefined) each(fault);
        else if (fault !== undefined) return fault;
      }
    }
  }
  return undefined;
}

let failure;
const kinds = {};
const BATCH = 200;
for (let done = 0; count.cases < cases && failure === undefined; done += 1) {
  const runs = { seed: seed + done, numRuns: BATCH };
  if (all) {
    // To know what an earlier core gets wrong, every fault is counted, not the first one shrunk.
    for (const one of fc.sample(wholeCase, runs))
      faultOf(one, (fault) => {
        const kind = fault
          .split('\n')[0]
          .replace(/"[^"]*"/g, '"…"')
          .replace(/(in|lacks) .*/, '$1 …')
          .replace(/\d[\d.e+-]*/g, 'n');
        kinds[kind] ??= { count: 0, example: fault };
        kinds[kind].count += 1;
      });
    continue;
  }
  const property = fc.property(wholeCase, (one) => {
    const fault = faultOf(one);
    if (fault !== undefined) throw new Error(fault);
  });
  const result = fc.check(property, runs);
  if (result.failed)
    failure = { seed: result.seed, path: result.counterexamplePath, fault: String(result.errorInstance?.message ?? result.error) };
}
parentPort.postMessage({ count, failure, kinds });
