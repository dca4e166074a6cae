import * as z from 'zod';

const Hash = z.string().regex(/^[0-9a-f]{64}$/, 'must be a SHA-256 in hex');
const FilePath = z
  .string()
  .min(1)
  .max(300)
  .refine((path) => !path.startsWith('/') && !path.split('/').includes('..'), 'must be a path within the folder');
export const NewEdition = z
  .strictObject({
    manifest: z.record(FilePath, Hash).meta({ description: 'Path to SHA-256 of its contents.' }),
    contents: z.record(Hash, z.string()).default({}).meta({ description: 'Contents in base64 that the service does not have yet.' }),
  })
  .meta({ id: 'NewEdition' });
export const UseEdition = z.strictObject({ number: z.int().min(1) }).meta({ id: 'UseEdition' });
export const Promotion = z
  .strictObject({
    number: z.int().min(1),
    from: z.string().min(1).max(40).meta({ description: 'The space that has it.' }),
    fromKey: z.string().max(200).optional().meta({ description: 'A key of that space with the scope "read"; an operator needs none.' }),
  })
  .meta({ id: 'Promotion' });
export const EditionView = z
  .strictObject({ number: z.int(), hash: z.string(), createdAt: z.iso.datetime(), files: z.int(), inUse: z.boolean() })
  .meta({ id: 'Edition' });
export const EditionDetail = z
  .strictObject({ ...EditionView.shape, manifest: z.record(z.string(), z.string()) })
  .meta({ id: 'EditionDetail' });
export const EditionList = z.strictObject({ editions: z.array(EditionView) }).meta({ id: 'EditionList' });
const FileChange = z.strictObject({ path: z.string(), change: z.enum(['added', 'changed', 'removed']) }).meta({ id: 'FileChange' });
export const Publication = z
  .strictObject({ missing: z.array(z.string()), edition: EditionView.optional(), changes: z.array(FileChange) })
  .meta({ id: 'Publication' });
export const EditionDiff = z.strictObject({ changes: z.array(FileChange) }).meta({ id: 'EditionDiff' });
