import { createHash } from 'node:crypto';
import type { MailProject } from '../folder/index.js';
import { fixed, joined } from '../html/index.js';
import { isSteer, resteered, type Op, type Program } from '../render/index.js';
import { assetPath } from './address.js';

const TYPES: Readonly<Record<string, string>> = {
  png: 'image/png',
  jpg: 'image/jpeg',
  jpeg: 'image/jpeg',
  gif: 'image/gif',
  webp: 'image/webp',
  svg: 'image/svg+xml',
};

/** The media type of a picture by its name; anything else is just bytes, and is shown by no browser. */
export function pictureType(name: string): string {
  return TYPES[name.slice(name.lastIndexOf('.') + 1).toLowerCase()] ?? 'application/octet-stream';
}

/** Bits enough that two pictures of a folder never share a name, in hex. */
const HASH_SIGNS = 20;

/** What names the contents of an asset in its address: it changes with them, so that caches may keep it for ever. */
export function assetHash(bytes: Uint8Array): string {
  return createHash('sha256').update(bytes).digest('hex').slice(0, HASH_SIGNS);
}

/** The asset that an address names, if it is written out. */
function assetOf(
  op: Extract<Op, { op: 'address' }>,
  project: MailProject,
): { path: string; bytes: Uint8Array; carried: boolean } | undefined {
  const { parts } = op.address;
  if (!parts.every((part) => typeof part === 'string')) return undefined;
  const address = parts.join('').trim();
  const path = assetPath(address);
  const bytes = path === undefined ? undefined : project.assets.get(path);
  return path === undefined || bytes === undefined ? undefined : { path, bytes, carried: address.startsWith('cid:') };
}

/** Gives pictures of the mail folder their final address: in the mail ("cid:assets/…" in the source), or under their hash. */
export function placeAssets(ops: readonly Op[], project: MailProject): { ops: Op[]; carried: Program['carried'] } {
  const carried = new Map<string, Program['carried'][number]>();
  const { assetUrl } = project.settings;
  const walk = (list: readonly Op[]): Op[] =>
    joined(
      list.map((op): Op => {
        if (typeof op === 'string') return op;
        if (isSteer(op)) return resteered<Op, Op>(op, walk);
        const asset = op.op === 'address' ? assetOf(op, project) : undefined;
        if (asset === undefined) return op;
        const hash = assetHash(asset.bytes);
        const name = asset.path.slice(asset.path.lastIndexOf('/') + 1);
        if (asset.carried) {
          const id = `${hash}@assets`;
          carried.set(id, { path: asset.path, id, type: pictureType(name) });
          return `cid:${id}`;
        }
        return assetUrl === undefined ? op : fixed(`${assetUrl}/${hash}/${encodeURIComponent(name)}`);
      }),
    );
  return { ops: walk(ops), carried: [...carried.values()] };
}
