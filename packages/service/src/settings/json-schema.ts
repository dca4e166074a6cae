import * as z from 'zod';
import { Settings } from './schema.js';

/** The configuration as JSON Schema (2020-12), for editors and for the reference page. */
export function settingsSchema(): Record<string, unknown> {
  return { ...z.toJSONSchema(Settings, { io: 'input', unrepresentable: 'any' }), title: 'verbalis.yaml' };
}
