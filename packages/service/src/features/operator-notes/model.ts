import * as z from 'zod';
import { oneLine } from '../../kernel/index.js';

export const OperatorNote = z
  .strictObject({ subject: oneLine(200).min(1), text: z.string().min(1).max(20_000) })
  .meta({ id: 'OperatorNote' });
export const OperatorNoteMade = z.strictObject({ id: z.string() }).meta({ id: 'OperatorNoteMade' });
