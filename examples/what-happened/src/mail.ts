import { createClient, type Client } from '@verbalis/client';
import type { SignalData, TemplateData } from './mail-types.js';

/** The client of this app: what it says, and what its templates take, is typed by its mail folder. */
export type Mail = Client<TemplateData, SignalData>;

export const connect = (url: string, key: string): Mail => createClient<TemplateData, SignalData>({ url, key });
