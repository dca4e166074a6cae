import { FEATURES, STEPS } from '../features/order.js';
import { apiDocument, type Endpoint } from '../kernel/index.js';

/** Parts of the API in the order of the work: write, try, send, track, set up. */
const PARTS = STEPS.flatMap((step) => FEATURES.flatMap(({ api }) => (api?.step === step ? [api] : [])));

/** Every endpoint of the service. What it works with is given to it when the service starts. */
export const ENDPOINTS = PARTS.flatMap(({ endpoints }) => endpoints) as unknown as readonly Endpoint<unknown>[];

let summaries: ReadonlyMap<string, string> | undefined;

/** What each endpoint does, by its name. */
export function endpointSummaries(): ReadonlyMap<string, string> {
  summaries ??= new Map(ENDPOINTS.map(({ name, summary }) => [name, summary]));
  return summaries;
}

/** The API as OpenAPI 3.1. @param url where the service is reached; the usual address when left out */
export function openApiDocument(url = 'http://127.0.0.1:8620'): Record<string, unknown> {
  const groups = PARTS.flatMap((part) => part.groups);
  return apiDocument(ENDPOINTS, { version: '1', servers: [{ url, description: 'This service.' }], groups });
}
