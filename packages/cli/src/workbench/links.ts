import type { MailProject } from '@verbalis/core/folder';
import { Fault, SourceText, warning, type Problem } from '@verbalis/core/problems';
import type { CompiledFolder } from '@verbalis/core/program';
import { prepare } from '@verbalis/core/render';

const TIMEOUT_MS = 10_000;
const AT_ONCE = 8;

/** Asks for every link of every sample; those that answer with an error, or not at all, are reported. Only on request. */
export async function deadLinks(project: MailProject, compiled: CompiledFolder, now: number): Promise<Problem[]> {
  const found = new Map<string, Set<string>>();
  for (const [name, template] of compiled.templates) {
    const program = template.programs.get(project.settings.locale);
    if (program === undefined) continue;
    for (const sample of project.templates.get(name)?.samples ?? []) {
      try {
        const { html } = prepare(program)({ data: sample.data, now });
        for (const [, raw = ''] of html.matchAll(/(?:href|src)="(https?:[^"]+)"/g)) {
          const url = raw.replaceAll('&amp;', '&').replaceAll('&#39;', "'").replaceAll('&quot;', '"');
          found.set(url, (found.get(url) ?? new Set()).add(name));
        }
      } catch (error) {
        if (!(error instanceof Fault)) throw error;
      }
    }
  }
  const waiting = [...found.keys()];
  const out: Problem[] = [];
  const work = async (): Promise<void> => {
    for (let url = waiting.pop(); url !== undefined; url = waiting.pop()) {
      const fault = await faultOf(url);
      if (fault === undefined) continue;
      for (const name of found.get(url) ?? []) {
        const source = project.templates.get(name)?.sources.get('');
        if (source !== undefined) out.push(warning('link-dead', new SourceText(source.file, source.text).place(0, 0), `${url} ${fault}.`));
      }
    }
  };
  await Promise.all(Array.from({ length: AT_ONCE }, work));
  return out;
}

async function faultOf(url: string): Promise<string | undefined> {
  try {
    let response = await fetch(url, { method: 'HEAD', signal: AbortSignal.timeout(TIMEOUT_MS) });
    if (response.status === 405 || response.status === 501) response = await fetch(url, { signal: AbortSignal.timeout(TIMEOUT_MS) });
    await response.body?.cancel();
    return response.status >= 400 ? `answers ${response.status}` : undefined;
  } catch (error) {
    if (error instanceof Error && error.name === 'TimeoutError') return `gives no answer within ${TIMEOUT_MS / 1000} seconds`;
    const cause = error instanceof Error && error.cause instanceof Error ? error.cause.message : String(error);
    return `cannot be reached (${cause})`;
  }
}
