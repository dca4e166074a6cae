import { auditEndpoints } from './audit/index.js';
import { addressEndpoints } from './addresses/index.js';
import { alertEndpoints } from './alerts/index.js';
import { backupEndpoints } from './backups/index.js';
import { bulkEndpoints } from './bulk-sends/index.js';
import { clusterEndpoints } from './cluster/index.js';
import { copyEndpoints } from './copies/index.js';
import { uploadEndpoints } from './attachments/index.js';
import { callbackEndpoints } from './callbacks/index.js';
import { doctorEndpoints } from './doctor/index.js';
import { captureEndpoints } from './capture/index.js';
import { configurationEndpoints } from './configuration/index.js';
import { consentEndpoints } from './consent/index.js';
import { domainEndpoints } from './domain-checks/index.js';
import { reportEndpoints } from './domain-reports/index.js';
import { editionEndpoints } from './editions/index.js';
import { inboundEndpoints } from './inbound/index.js';
import { holdEndpoints } from './holds/index.js';
import { engagementEndpoints } from './engagement/index.js';
import { eventEndpoints } from './events/index.js';
import { figureEndpoints } from './figures/index.js';
import { keyEndpoints } from './keys/index.js';
import { messageEndpoints } from './messages/index.js';
import { peopleEndpoints } from './people/index.js';
import { permitEndpoints } from './permits/index.js';
import { operatorNoteEndpoints } from './operator-notes/index.js';
import { providerEndpoints } from './providers/index.js';
import { quarantineEndpoints } from './quarantine/index.js';
import { queueEndpoints } from './queue/index.js';
import { returnEndpoints } from './returns/index.js';
import { scheduleEndpoints } from './schedules/index.js';
import { searchEndpoints } from './search/index.js';
import { signalEndpoints } from './signals/index.js';
import { suppressionEndpoints } from './suppressions/index.js';
import { senderEndpoints } from './sender-confirmations/index.js';
import { subscriptionEndpoints } from './webhooks/index.js';
import { templateEndpoints } from './workbench/index.js';
import type { ApiGroup, Endpoint } from '../kernel/index.js';

/** Steps of the work, in which the API is documented. */
export const STEPS = ['write', 'try', 'send', 'track', 'set-up'] as const;

/** A feature with a part of the API. */
interface Listed {
  readonly name: string;
  readonly api?: {
    readonly step: (typeof STEPS)[number];
    readonly groups: readonly ApiGroup[];
    readonly endpoints: readonly Endpoint<never>[];
  };
}

/**
 * The features from low to high. A feature imports the kernel and features before it, by their doors (index.ts), and nothing else of the
 * service; CI checks that (.dependency-cruiser.cjs reads this list).
 */
export const FEATURES: readonly Listed[] = [
  { name: 'smtp' },
  { name: 'name-servers' },
  { name: 'mail-folder' },
  { name: 'mail-view' },
  { name: 'spaces' },
  {
    name: 'keys',
    api: {
      step: 'set-up',
      groups: [{ name: 'keys', description: 'Keys of spaces.' }],
      endpoints: keyEndpoints,
    },
  },
  {
    name: 'quarantine',
    api: {
      step: 'set-up',
      groups: [{ name: 'quarantine', description: 'Items that could not be processed.' }],
      endpoints: quarantineEndpoints,
    },
  },
  {
    name: 'copies',
    api: {
      step: 'set-up',
      groups: [{ name: 'copies', description: 'Continuous copies of the database.' }],
      endpoints: copyEndpoints,
    },
  },
  {
    name: 'cluster',
    api: {
      step: 'set-up',
      groups: [{ name: 'cluster', description: 'Several services that can take over from each other.' }],
      endpoints: clusterEndpoints,
    },
  },
  {
    name: 'backups',
    api: { step: 'set-up', groups: [{ name: 'backups', description: 'Backups of the database.' }], endpoints: backupEndpoints },
  },
  {
    name: 'editions',
    api: { step: 'write', groups: [{ name: 'editions', description: 'Published mail folders.' }], endpoints: editionEndpoints },
  },
  {
    name: 'attachments',
    api: { step: 'send', groups: [{ name: 'uploads', description: 'Files that are attached later.' }], endpoints: uploadEndpoints },
  },
  { name: 'sensitive-data' },
  { name: 'domains' },
  { name: 'senders' },
  {
    name: 'messages',
    api: { step: 'send', groups: [{ name: 'messages', description: 'Messages: sent, looked at, canceled.' }], endpoints: messageEndpoints },
  },
  {
    name: 'suppressions',
    api: {
      step: 'track',
      groups: [{ name: 'suppressions', description: 'Addresses that get no mail any more.' }],
      endpoints: suppressionEndpoints,
    },
  },
  {
    name: 'events',
    api: {
      step: 'track',
      groups: [{ name: 'events', description: 'Everything that is made public (CloudEvents 1.0).' }],
      endpoints: eventEndpoints,
    },
  },
  {
    name: 'audit',
    api: { step: 'set-up', groups: [{ name: 'audit', description: 'Who did what.' }], endpoints: auditEndpoints },
  },
  {
    name: 'people',
    api: {
      step: 'set-up',
      groups: [
        { name: 'people', description: 'People and their roles.' },
        { name: 'sessions', description: 'Open sessions of the console.' },
        { name: 'session', description: 'Signing in and out.' },
      ],
      endpoints: peopleEndpoints,
    },
  },
  {
    name: 'consent',
    api: {
      step: 'track',
      groups: [{ name: 'consents', description: 'Which topics addresses want.' }],
      endpoints: consentEndpoints,
    },
  },
  {
    name: 'engagement',
    api: {
      step: 'track',
      groups: [{ name: 'engagement', description: 'Links that were followed and pictures that were loaded.' }],
      endpoints: engagementEndpoints,
    },
  },
  {
    name: 'providers',
    api: { step: 'set-up', groups: [{ name: 'providers', description: 'What accepts email from us.' }], endpoints: providerEndpoints },
  },
  { name: 'composing' },
  {
    name: 'holds',
    api: {
      step: 'send',
      groups: [{ name: 'holds', description: 'Deliveries that are held until a person releases them.' }],
      endpoints: holdEndpoints,
    },
  },
  {
    name: 'queue',
    api: { step: 'send', groups: [{ name: 'queue', description: 'Deliveries that wait.' }], endpoints: queueEndpoints },
  },
  { name: 'submission' },
  {
    name: 'returns',
    api: { step: 'track', groups: [{ name: 'returns', description: 'Whatever comes back about a delivery.' }], endpoints: returnEndpoints },
  },
  {
    name: 'inbound',
    api: { step: 'track', groups: [{ name: 'inbound', description: 'What people write to us.' }], endpoints: inboundEndpoints },
  },
  {
    name: 'callbacks',
    api: { step: 'track', groups: [{ name: 'callbacks', description: 'Calls of HTTP providers.' }], endpoints: callbackEndpoints },
  },
  {
    name: 'capture',
    api: {
      step: 'try',
      groups: [{ name: 'captured', description: 'Email that is kept to be looked at instead of being sent.' }],
      endpoints: captureEndpoints,
    },
  },
  {
    name: 'workbench',
    api: {
      step: 'write',
      groups: [{ name: 'templates', description: 'Templates of a mail folder, rendered and tried.' }],
      endpoints: templateEndpoints,
    },
  },
  {
    name: 'domain-checks',
    api: {
      step: 'set-up',
      groups: [{ name: 'domains', description: 'Sending domains: their keys, and what the DNS must say.' }],
      endpoints: domainEndpoints,
    },
  },
  {
    name: 'domain-reports',
    api: {
      step: 'set-up',
      groups: [{ name: 'domainReports', description: 'What receivers report about sending domains.' }],
      endpoints: reportEndpoints,
    },
  },
  {
    name: 'sender-confirmations',
    api: {
      step: 'set-up',
      groups: [{ name: 'senders', description: 'Addresses that a space sends as, and what their owners have agreed to.' }],
      endpoints: senderEndpoints,
    },
  },
  {
    name: 'webhooks',
    api: {
      step: 'track',
      groups: [{ name: 'subscriptions', description: 'Where events are sent: signed webhooks.' }],
      endpoints: subscriptionEndpoints,
    },
  },
  {
    name: 'figures',
    api: { step: 'track', groups: [{ name: 'figures', description: 'Counts by hour and day.' }], endpoints: figureEndpoints },
  },
  {
    name: 'alerts',
    api: { step: 'track', groups: [{ name: 'alerts', description: 'Rules over rates and counts.' }], endpoints: alertEndpoints },
  },
  {
    name: 'operator-notes',
    api: {
      step: 'set-up',
      groups: [{ name: 'operatorNotes', description: 'Email to the operator of a space.' }],
      endpoints: operatorNoteEndpoints,
    },
  },
  {
    name: 'search',
    api: { step: 'track', groups: [{ name: 'search', description: 'One search over everything of a space.' }], endpoints: searchEndpoints },
  },
  {
    name: 'bulk-sends',
    api: {
      step: 'send',
      groups: [{ name: 'bulkSends', description: 'One template to many recipients.' }],
      endpoints: bulkEndpoints,
    },
  },
  {
    name: 'schedules',
    api: {
      step: 'send',
      groups: [{ name: 'schedules', description: 'One template to many, at times that come again.' }],
      endpoints: scheduleEndpoints,
    },
  },
  {
    name: 'permits',
    api: {
      step: 'send',
      groups: [{ name: 'permits', description: 'Emails that a browser may ask for.' }],
      endpoints: permitEndpoints,
    },
  },
  {
    name: 'signals',
    api: {
      step: 'send',
      groups: [{ name: 'signals', description: 'What happened in apps, and what follows from it.' }],
      endpoints: signalEndpoints,
    },
  },
  {
    name: 'addresses',
    api: {
      step: 'track',
      groups: [{ name: 'addresses', description: 'What is known about one address.' }],
      endpoints: addressEndpoints,
    },
  },
  {
    name: 'doctor',
    api: { step: 'set-up', groups: [{ name: 'doctor', description: 'How the service is set up.' }], endpoints: doctorEndpoints },
  },
  {
    name: 'configuration',
    api: {
      step: 'set-up',
      groups: [{ name: 'configuration', description: 'The settings in force.' }],
      endpoints: configurationEndpoints,
    },
  },
  { name: 'console' },
];
