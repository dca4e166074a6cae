import * as z from 'zod';
import { oneLine } from '../../kernel/index.js';

/** A file to be attached: bytes in base64, a file of the mail folder, something uploaded before, or an address to fetch. */
export const Attachment = z
  .strictObject({
    name: z.string().min(1).max(200).optional().meta({ description: 'As the recipient sees it.' }),
    type: z.string().max(140).optional().meta({ description: 'Media type; from the name when left out.' }),
    content: z.string().optional().meta({ description: 'Bytes in base64.' }),
    file: z.string().max(300).optional().meta({ description: 'A file below assets/ of the mail folder.' }),
    upload: z.string().max(60).optional().meta({ description: 'Id of an upload.' }),
    url: z.string().max(2000).optional().meta({ description: 'Fetched when the mail is made; never from a private network.' }),
  })
  .refine(
    ({ content, file, upload, url }) => [content, file, upload, url].filter((way) => way !== undefined).length === 1,
    'needs exactly one of content, file, upload, url',
  )
  .meta({ id: 'Attachment' });
export type AttachmentRequest = z.output<typeof Attachment>;

export const UploadQuery = z.strictObject({ name: oneLine(200).min(1) });
export const UploadView = z
  .strictObject({ id: z.string(), name: z.string(), type: z.string(), size: z.int(), sha256: z.string() })
  .meta({ id: 'Upload' });
