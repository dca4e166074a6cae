import { createHash } from 'node:crypto';
import type { MailProject } from '../folder/index.js';
import { fixed, joined } from '../html/index.js';
import { isSteer, resteered, type Op, type Program } from '../render/index.js';
import { lookUp } from '../strings/index.js';
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

/** What names the contents of an asset in its address: it changes with them, so that caches never need to check it again. */
export function assetHash(bytes: Uint8Array): string {
  return createHash('sha256').update(bytes).digest('hex').slice(0, HASH_SIGNS);
}

/** "assets/pier.fr.png": the picture "assets/pier.png" in French. */
const VARIANT = /^(assets\/.+)\.([A-Za-z]{2,3}(?:-[A-Za-z0-9]{2,8})*)(\.[A-Za-z0-9]+)$/;

/** Whether a folder has pictures in several languages. */
export function hasVariants({ assets }: MailProject): boolean {
  return [...assets.keys()].some((path) => {
    const [, base, , type] = VARIANT.exec(path) ?? [];
    return base !== undefined && assets.has(`${base}${type ?? ''}`);
  });
}

/** The picture of a language, where the folder has it; languages are looked up as for texts (RFC 4647, 3.4). */
function variantOf(path: string, locale: string, { assets }: MailProject): string {
  const dot = path.lastIndexOf('.');
  if (dot === -1) return path;
  const paths = lookUp(locale, '').map((tag) => `${path.slice(0, dot)}.${tag}${path.slice(dot)}`);
  return paths.find((variant) => assets.has(variant)) ?? path;
}

interface Asset {
  readonly path: string;
  readonly bytes: Uint8Array;
  readonly carried: boolean;
  /** The address as it is written, with the path of the language's picture. */
  readonly address: string;
}

/** The asset that an address names, if it is written out. */
function assetOf(op: Extract<Op, { op: 'address' }>, project: MailProject, locale: string): Asset | undefined {
  const { parts } = op.address;
  if (!parts.every((part) => typeof part === 'string')) return undefined;
  const address = parts.join('').trim();
  const written = assetPath(address);
  if (written === undefined || !project.assets.has(written)) return undefined;
  const path = variantOf(written, locale, project);
  const bytes = project.assets.get(path) as Uint8Array;
  return { path, bytes, carried: address.startsWith('cid:'), address: path === written ? address : path };
}

/** Gives pictures of the mail folder their final address: in the mail ("cid:assets/…" in the source), or under their hash. */
export function placeAssets(ops: readonly Op[], project: MailProject, locale: string): { ops: Op[]; carried: Program['carried'] } {
  const carried = new Map<string, Program['carried'][number]>();
  const { assetUrl } = project.settings;
  const walk = (list: readonly Op[]): Op[] =>
    joined(
      list.map((op): Op => {
        if (typeof op === 'string') return op;
        if (isSteer(op)) return resteered<Op, Op>(op, walk);
        const asset = op.op === 'address' ? assetOf(op, project, locale) : undefined;
        if (asset === undefined || op.op !== 'address') return op;
        const hash = assetHash(asset.bytes);
        const name = asset.path.slice(asset.path.lastIndexOf('/') + 1);
        if (asset.carried) {
          const id = `${hash}@assets`;
          carried.set(id, { path: asset.path, id, type: pictureType(name) });
          return `cid:${id}`;
        }
        if (assetUrl === undefined) return { ...op, address: { ...op.address, parts: [asset.address] } };
        return fixed(`${assetUrl}/${hash}/${encodeURIComponent(name)}`);
      }),
    );
  return { ops: walk(ops), carried: [...carried.values()] };
}
