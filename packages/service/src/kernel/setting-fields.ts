import { z } from 'zod';

// What settings are made of.

export const Port = z.int().min(0).max(65_535);
export const Host = z.string().min(1);
/** The name of something in the configuration: a space, a provider, a rule. */
export const Name = z.string().regex(/^[a-z0-9][a-z0-9-]{0,39}$/, 'must be small letters, digits and "-"');
export const Seconds = z.number().positive().max(3600);
