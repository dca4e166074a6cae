import { alertEndpoints } from '../features/alerts/index.js';
import { uploadEndpoints } from '../features/attachments/index.js';
import { callbackEndpoints } from '../features/callbacks/index.js';
import { captureEndpoints } from '../features/capture/index.js';
import { domainEndpoints } from '../features/domains/index.js';
import { editionEndpoints } from '../features/editions/index.js';
import { eventEndpoints } from '../features/events/index.js';
import { figureEndpoints } from '../features/figures/index.js';
import { keyEndpoints } from '../features/keys/index.js';
import { messageEndpoints } from '../features/messages/index.js';
import { operatorNoteEndpoints } from '../features/operator-notes/index.js';
import { providerEndpoints } from '../features/providers/index.js';
import { quarantineEndpoints } from '../features/quarantine/index.js';
import { queueEndpoints } from '../features/queue/index.js';
import { returnEndpoints } from '../features/returns/index.js';
import { searchEndpoints } from '../features/search/index.js';
import { suppressionEndpoints } from '../features/suppressions/index.js';
import { subscriptionEndpoints } from '../features/webhooks/index.js';
import { templateEndpoints } from '../features/workbench/index.js';
import { apiDocument, type ApiGroup, type Endpoint } from '../kernel/index.js';

/** Groups of the API in the order of the work: write, try, send, track, set up. */
const GROUPS: readonly ApiGroup[] = [
  { name: 'templates', description: 'Templates of a mail folder, rendered and tried.' },
  { name: 'editions', description: 'Published mail folders.' },
  { name: 'captured', description: 'Email that is kept to be looked at instead of being sent.' },
  { name: 'messages', description: 'Messages: sent, looked at, canceled.' },
  { name: 'uploads', description: 'Files that are attached later.' },
  { name: 'queue', description: 'Deliveries that wait.' },
  { name: 'returns', description: 'Whatever comes back about a delivery.' },
  { name: 'callbacks', description: 'Calls of HTTP providers.' },
  { name: 'suppressions', description: 'Addresses that get no more mail.' },
  { name: 'events', description: 'Everything that is made public (CloudEvents 1.0).' },
  { name: 'subscriptions', description: 'Where events are sent: signed webhooks.' },
  { name: 'figures', description: 'Counts by hour and day.' },
  { name: 'alerts', description: 'Rules over rates and counts.' },
  { name: 'search', description: 'One search over everything of a space.' },
  { name: 'providers', description: 'What accepts email from us.' },
  { name: 'domains', description: 'Sending domains and their keys.' },
  { name: 'quarantine', description: 'Items that could not be processed.' },
  { name: 'operatorNotes', description: 'Email to the operator of a space.' },
  { name: 'keys', description: 'Keys of spaces.' },
  { name: 'session', description: 'Sessions of the console.' },
];

/** Every endpoint of the service. What it works with is given to it when the service starts. */
export const ENDPOINTS: readonly Endpoint<unknown>[] = [
  ...templateEndpoints,
  ...editionEndpoints,
  ...captureEndpoints,
  ...messageEndpoints,
  ...uploadEndpoints,
  ...queueEndpoints,
  ...returnEndpoints,
  ...callbackEndpoints,
  ...suppressionEndpoints,
  ...eventEndpoints,
  ...subscriptionEndpoints,
  ...figureEndpoints,
  ...alertEndpoints,
  ...searchEndpoints,
  ...providerEndpoints,
  ...domainEndpoints,
  ...quarantineEndpoints,
  ...operatorNoteEndpoints,
  ...keyEndpoints,
] as unknown as readonly Endpoint<unknown>[];

/** The API as OpenAPI 3.1. @param url where the service is reached; the usual address when left out */
export function openApiDocument(url = 'http://127.0.0.1:8620'): Record<string, unknown> {
  return apiDocument(ENDPOINTS, { version: '1', servers: [{ url, description: 'This service.' }], groups: GROUPS });
}
