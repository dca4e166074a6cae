import * as z from 'zod';

export const CallStored = z.strictObject({ events: z.int() }).meta({ id: 'CallStored' });
