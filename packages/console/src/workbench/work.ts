import type { TemplateDetail } from '@verbalis/client';
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query';
import { useDeferredValue, useEffect, useMemo, useState } from 'react';
import { useSession } from '../session.js';

/** What was typed and not saved, by file. */
type Edits = Readonly<Record<string, string>>;

export interface WorkInput {
  readonly template: TemplateDetail;
  readonly params: URLSearchParams;
  readonly set: (changes: Readonly<Record<string, string | undefined>>) => void;
  readonly edition: number | undefined;
}

export type Work = ReturnType<typeof useWork>;

/** The work on one template: what is chosen, what was typed, and the email that results. */
export function useWork({ template, params, set, edition }: WorkInput) {
  const { files } = template;
  const path = params.get('file') ?? files[0]?.path ?? '';
  const file = files.find((other) => other.path === path) ?? files[0];
  const sample = params.get('sample') ?? (template.samples.includes('typical') ? 'typical' : template.samples[0]);
  const locale = params.get('locale') ?? template.locales[0];
  const editing = useEdits(template, file);
  const [own, setOwn] = useState<{ readonly sample: string | undefined; readonly data: unknown }>();
  const ownData = own?.sample === sample ? own?.data : undefined;
  const { edits } = editing;
  const request = useMemo(
    () => ({
      ...(edition === undefined ? {} : { edition }),
      ...(ownData === undefined ? (sample === undefined ? {} : { sample }) : { data: ownData }),
      ...(locale === undefined ? {} : { locale }),
      ...(Object.keys(edits).length === 0 ? {} : { edits }),
    }),
    [edition, ownData, sample, locale, edits],
  );
  const rendered = useRendered(template, request);
  return {
    template,
    params,
    set,
    file,
    sample,
    locale,
    editing,
    /** Data that was changed here, and the sample that it was made from. */
    own: { data: ownData, sample: own?.sample },
    setOwn: (data: unknown) => setOwn(data === undefined ? undefined : { sample, data }),
    request,
    rendered,
    problems: rendered.problems,
  };
}

function useEdits({ files, editable }: TemplateDetail, file: TemplateDetail['files'][number] | undefined) {
  const { client } = useSession();
  const queries = useQueryClient();
  const [edits, setEdits] = useState<Edits>({});
  const [fault, setFault] = useState<unknown>();
  // A file that was saved elsewhere with the same text is no edit any more.
  useEffect(() => {
    setEdits((before) => {
      const left = Object.entries(before).filter(([path, text]) => files.find((other) => other.path === path)?.text !== text);
      return left.length === Object.keys(before).length ? before : Object.fromEntries(left);
    });
  }, [files]);
  const revert = (path: string): void =>
    setEdits((before) => Object.fromEntries(Object.entries(before).filter(([other]) => other !== path)));
  return {
    edits,
    fault,
    revert,
    change: (text: string): void => {
      if (file === undefined) return;
      if (text === file.text) revert(file.path);
      else setEdits((before) => ({ ...before, [file.path]: text }));
    },
    save: async (): Promise<void> => {
      const text = file === undefined ? undefined : edits[file.path];
      if (file === undefined || text === undefined || !editable) return;
      try {
        await client.templates.save({ path: file.path, text, was: file.text });
        setFault(undefined);
        await queries.invalidateQueries({ queryKey: ['template'] });
      } catch (error) {
        setFault(error);
      }
    },
  };
}

type RenderRequest = Parameters<ReturnType<typeof useSession>['client']['templates']['render']>[1];

/** The email of a template, rendered again after each change; the last one stays on screen until the next is there. */
function useRendered({ name, problems: advised }: TemplateDetail, request: RenderRequest) {
  const { client, space } = useSession();
  const settled = useDeferredValue(request);
  const { data, error } = useQuery({
    queryKey: ['render', space.name, name, settled],
    // The mail comes first: to look at every sample takes longer.
    queryFn: ({ signal }) => client.templates.render(name, { ...settled, advice: false }, { signal }),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
    gcTime: 30_000,
  });
  const isEdited = settled.edits !== undefined;
  const { data: looked } = useQuery({
    queryKey: ['advice', space.name, name, settled],
    queryFn: ({ signal }) => client.templates.render(name, settled, { signal }),
    placeholderData: keepPreviousData,
    enabled: isEdited && data !== undefined,
    staleTime: Infinity,
    gcTime: 30_000,
  });
  const [lastMail, setLastMail] = useState(data?.mail);
  useEffect(() => {
    if (data?.mail !== undefined) setLastMail(data.mail);
  }, [data]);
  const problems = useMemo(() => {
    const all = [...(data?.problems ?? []), ...(isEdited ? (looked?.problems ?? []) : advised)];
    return [...new Map(all.map((problem) => [JSON.stringify(problem), problem])).values()];
  }, [data, looked, advised, isEdited]);
  return { result: data, error, mail: data?.mail ?? lastMail, problems };
}
