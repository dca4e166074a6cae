import type { z } from 'zod';
import { Problem } from './schemas.js';

/** A body of JSON by a schema. */
export const json = <S extends z.ZodType>(schema: S) => ({ 'application/json': { schema } });

/** The answer that every call may have. */
export const refused = { description: 'Refused: why, and what to do.', content: { 'application/problem+json': { schema: Problem } } };
