import * as z from 'zod';
import { State } from '../messages/index.js';

export const SearchQuery = z.strictObject({ q: z.string().min(1).max(320) });
export const SearchResult = z
  .strictObject({
    hits: z.array(
      z.strictObject({
        kind: z.enum(['message', 'captured', 'return', 'inbound', 'suppression', 'template', 'domain', 'person']),
        id: z.string(),
        address: z.string().optional(),
        title: z.string(),
        state: State.optional(),
        at: z.iso.datetime().optional(),
      }),
    ),
    subjectsOf: z.int().meta({ description: 'Of so many of the newest messages the subjects were looked through.' }),
  })
  .meta({ id: 'SearchResult' });
