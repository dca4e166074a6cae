import { previewOf, type FolderPreview, type RenderOptions } from '@verbalis/core/preview';
import { LRUCache } from 'lru-cache';
import { inThread } from '../../kernel/thread.js';
import type { Overview, Shown, TemplateData, ViewCalls } from './view.js';

/** Folders that are kept ready to be looked at: what is worked on, what it was before, and some editions. */
const MOST_KEPT = 8;

inThread(() => {
  const kept = new LRUCache<string, FolderPreview>({ max: MOST_KEPT });

  const overview = (preview: FolderPreview, all: boolean, now: number): Overview => ({
    problems: preview.problems,
    states: preview.names.map((name) => (all ? preview.stateOf(name, now) : preview.known(name))),
  });

  const calls: { readonly [M in keyof ViewCalls]: (preview: FolderPreview, input: ViewCalls[M]['input']) => ViewCalls[M]['output'] } = {
    overview: (preview, { all, now }) => overview(preview, all, now),
    state: (preview, { name, now }) => preview.stateOf(name, now),
    data: (preview, { name }): TemplateData | undefined => {
      const template = preview.project.templates.get(name);
      return template === undefined
        ? undefined
        : { samples: template.samples.map((sample) => [sample.name, sample.data] as const), schema: template.schema };
    },
    render: (preview, { name, wish, advice: isAdvised, now }): Shown => {
      const { mail, dataProblems, problems } = preview.render(name, { ...(wish as RenderOptions), now });
      // Advice of an earlier look is good as long as nothing has changed; a fresh look costs a rendering of every sample.
      const state = isAdvised ? preview.stateOf(name, now) : preview.known(name);
      const advice = state?.problems.filter((problem) => problem.severity !== 'error') ?? [];
      return { mail, dataProblems, problems: [...problems, ...advice] };
    },
    look: (preview, { forMs, now }) => {
      const end = performance.now() + forMs;
      for (const name of preview.names) {
        if (preview.known(name) !== undefined) continue;
        if (performance.now() > end) return true;
        preview.stateOf(name, now);
      }
      return false;
    },
  };

  return {
    /** Reads a folder: all of its files, or what has changed of another's. False where that other one is not kept. */
    open: ({
      key,
      files,
      base,
    }: {
      key: string;
      files: ReadonlyMap<string, Uint8Array | undefined>;
      base: string | undefined;
    }): boolean => {
      const before = base === undefined ? undefined : kept.get(base);
      if (base !== undefined && before === undefined) return false;
      const all = new Map<string, Uint8Array>(before?.files);
      for (const [path, bytes] of files) {
        if (bytes === undefined) all.delete(path);
        else all.set(path, bytes);
      }
      kept.set(key, previewOf(all, before));
      return true;
    },
    /** Calls a method of a folder; nothing where it is not kept. */
    ask: ({ key, method, input }: { key: string; method: keyof ViewCalls; input: unknown }): { readonly value: unknown } | undefined => {
      const preview = kept.get(key);
      return preview === undefined
        ? undefined
        : { value: (calls[method] as (preview: FolderPreview, input: unknown) => unknown)(preview, input) };
    },
  };
});
