import type { Client, Publication } from '@verbalis/client';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { FileTrigger } from 'react-aria-components';
import styled from 'styled-components';
import { Button, Fault } from '../parts/basics.js';
import { useSession } from '../session.js';

const Ask = styled.section`
  display: grid;
  gap: 12px;
  max-width: 62ch;
  margin-bottom: 24px;
  p {
    margin: 0;
  }
`;

const Actions = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
`;

const Refused = styled.pre`
  max-width: 100%;
  overflow: auto;
  margin: 0;
  font-size: 14px;
`;

/** A mail folder that was chosen. */
interface Chosen {
  readonly name: string;
  readonly files: ReadonlyMap<string, File>;
}

/** The files of a folder by their paths in it; names that begin with a dot are left out, as on the command line. */
export function mailFolderOf(list: readonly Pick<File, 'webkitRelativePath'>[]): {
  readonly name: string;
  readonly paths: readonly string[];
} {
  const paths = list.map(({ webkitRelativePath }) => webkitRelativePath.split('/'));
  return {
    name: paths[0]?.[0] ?? '',
    paths: paths.map(([, ...inner]) => (inner.some((step) => step.startsWith('.')) ? '' : inner.join('/'))),
  };
}

function chosenOf(list: FileList): Chosen {
  const files = [...list];
  const { name, paths } = mailFolderOf(files);
  return { name, files: new Map(files.flatMap((file, i) => (paths[i] === '' ? [] : [[paths[i] ?? '', file] as const]))) };
}

async function hashOf(bytes: ArrayBuffer): Promise<string> {
  // Missing where the page came neither by HTTPS nor from this machine (Web Cryptography, 14).
  const { subtle } = crypto as { readonly subtle?: SubtleCrypto };
  if (subtle === undefined)
    throw new Error('This browser only computes hashes on pages that came by HTTPS. Publish with: verbalis publish MAILFOLDER');
  return [...new Uint8Array(await subtle.digest('SHA-256', bytes))].map((byte) => byte.toString(16).padStart(2, '0')).join('');
}

async function base64Of(file: Blob): Promise<string> {
  const url = await new Promise<string>((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(reader.result as string);
    reader.onerror = () => reject(reader.error ?? new Error('A file could not be read.'));
    reader.readAsDataURL(file);
  });
  return url.slice(url.indexOf(',') + 1);
}

/** Publishes the files; what the service has already does not travel. */
async function publish(client: Client, { files }: Chosen): Promise<Publication> {
  const manifest: Record<string, string> = {};
  const byHash = new Map<string, File>();
  for (const [path, file] of files) {
    const hash = await hashOf(await file.arrayBuffer());
    manifest[path] = hash;
    byHash.set(hash, file);
  }
  const first = await client.editions.publish({ manifest, contents: {} });
  if (first.missing.length === 0) return first;
  const contents: Record<string, string> = {};
  for (const hash of first.missing) contents[hash] = await base64Of(byHash.get(hash) ?? new Blob());
  return client.editions.publish({ manifest, contents });
}

function outcomeText({ changes, edition }: Publication): string {
  const number = edition?.number ?? 0;
  if (changes.length === 0) return `Nothing differs from edition ${number}.`;
  return `Edition ${number} is in use: ${changes.length} ${changes.length === 1 ? 'file differs' : 'files differ'} from the one before.`;
}

/** Publishes a mail folder from the disk of the person at the page. */
export function PublishFolder() {
  const { client, space } = useSession();
  const queries = useQueryClient();
  const [chosen, setChosen] = useState<Chosen>();
  const publishing = useMutation({
    mutationFn: (folder: Chosen) => publish(client, folder),
    onSuccess: () => {
      setChosen(undefined);
      return queries.invalidateQueries();
    },
  });
  const isMail = chosen?.files.has('mail.yaml') === true;
  const [firstLine = '', ...others] = publishing.error?.message.split('\n') ?? [];
  return (
    <Ask aria-label="Publish">
      <Actions>
        <FileTrigger
          acceptDirectory
          onSelect={(list) => {
            publishing.reset();
            if (list !== null && list.length > 0) setChosen(chosenOf(list));
          }}
        >
          <Button $quiet={chosen !== undefined}>Publish a mail folder …</Button>
        </FileTrigger>
      </Actions>
      {chosen !== undefined && !isMail && <p role="alert">The folder “{chosen.name}” has no mail.yaml: it is not a mail folder.</p>}
      {chosen !== undefined && isMail && (
        <>
          <p>
            Publish “{chosen.name}” ({chosen.files.size} files) to <strong>{space.name}</strong>? It is checked first. Messages that are
            accepted from then on are made from it.
          </p>
          <Actions>
            <Button autoFocus isDisabled={publishing.isPending} onPress={() => publishing.mutate(chosen)}>
              {publishing.isPending ? 'Publishing …' : 'Publish it'}
            </Button>
            <Button $quiet onPress={() => setChosen(undefined)}>
              Not now
            </Button>
          </Actions>
        </>
      )}
      {publishing.error !== null && (others.length === 0 ? <Fault error={publishing.error} /> : <p role="alert">{firstLine}</p>)}
      {others.length > 0 && <Refused tabIndex={0}>{others.join('\n').trim()}</Refused>}
      {publishing.data !== undefined && <p role="status">{outcomeText(publishing.data)}</p>}
    </Ask>
  );
}
