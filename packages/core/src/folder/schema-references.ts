import { didYouMean, problem, SourceText, type Problem } from '../problems/index.js';
import type { JsonSchema } from '../typing/index.js';
import { pathFrom, readJson, readText, type FolderReading } from './reading.js';

/** Keywords whose values are data and no schemas. */
const DATA = new Set(['const', 'enum', 'default', 'examples']);
interface Gathering {
  readonly reading: FolderReading;
  readonly problems: Problem[];
  /** Schemas of other files, by path. */
  readonly shared: Map<string, unknown>;
}

function step(name: string): string {
  return name.replaceAll('~', '~0').replaceAll('/', '~1');
}

/**
 * A data schema in one piece: what it refers to in other files of the folder (`"$ref": "../../schemas/address.json"`, RFC 3986 5.2) is put into
 * its `$defs`, with what that refers to in turn.
 */
export function withReferences(reading: FolderReading, file: string, schema: JsonSchema): JsonSchema {
  const gathering: Gathering = { reading, problems: reading.problems, shared: new Map() };
  const own = rewritten(schema, { file, base: '', gathering });
  if (gathering.shared.size === 0) return schema;
  const definitions = (own as { readonly $defs?: object }).$defs;
  return { ...(own as object), $defs: { ...definitions, ...Object.fromEntries(gathering.shared) } };
}

interface Where {
  readonly file: string;
  /** Where the file's schema is put, as a JSON Pointer. */
  readonly base: string;
  readonly gathering: Gathering;
}

function rewritten(node: unknown, where: Where): unknown {
  if (typeof node !== 'object' || node === null) return node;
  if (Array.isArray(node)) return node.map((entry: unknown) => rewritten(entry, where));
  const out: Record<string, unknown> = {};
  for (const [key, value] of Object.entries(node)) {
    if (key === '$ref' && typeof value === 'string') out[key] = reference(value, where);
    else if (where.base !== '' && (key === '$id' || key === '$schema')) continue;
    else out[key] = DATA.has(key) ? value : rewritten(value, where);
  }
  return out;
}

/** A reference as it is written in a file, as one within the schema that is put together. */
function reference(written: string, where: Where): string {
  const { file, base, gathering } = where;
  const [path = '', fragment = ''] = written.split('#', 2);
  // Names of anchors are those of the whole.
  if (path === '') return fragment === '' || fragment.startsWith('/') ? `#${base}${fragment}` : written;
  const isElsewhere = /^[a-z][a-z0-9+.-]*:/i.test(path);
  const target = path.startsWith('/') ? path.slice(1) : pathFrom(file.split('/').slice(0, -1).join('/'), path);
  if (isElsewhere || !target.startsWith('schemas/') || !gathering.reading.files.has(target)) {
    const source = new SourceText(file, readText(gathering.reading, file) ?? '');
    const at = Math.max(0, source.text.indexOf(JSON.stringify(written)));
    const schemas = [...gathering.reading.files.keys()].filter((name) => name.startsWith('schemas/'));
    gathering.problems.push(
      problem(
        'schema-reference',
        source.place(at, written.length + 2),
        isElsewhere
          ? `"${written}" is not in the mail folder, and nothing is fetched.`
          : `There is no file "${target}" with shared schemas.`,
        isElsewhere ? 'Put it into schemas/, and refer to it there.' : didYouMean(target, schemas),
      ),
    );
    gathering.shared.set('unknown-reference', true);
    return '#/$defs/unknown-reference';
  }
  const pointer = `/$defs/${step(target)}`;
  if (!gathering.shared.has(target)) {
    // It is registered before it is read, since files may refer to each other.
    gathering.shared.set(target, true);
    const schema = readJson(target, readText(gathering.reading, target), gathering.problems);
    if (schema !== undefined) gathering.shared.set(target, rewritten(schema, { file: target, base: pointer, gathering }));
  }
  return `#${pointer}${fragment}`;
}
