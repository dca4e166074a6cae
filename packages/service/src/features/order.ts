/**
 * The features from low to high. A feature imports the kernel and features before it, by their doors (index.ts), and nothing else of the
 * service; CI checks that (.dependency-cruiser.cjs reads this list).
 */
export const FEATURES = [
  'smtp',
  'mail-folder',
  'mail-view',
  'spaces',
  'keys',
  'quarantine',
  'editions',
  'attachments',
  'domains',
  'messages',
  'suppressions',
  'events',
  'providers',
  'composing',
  'queue',
  'submission',
  'returns',
  'callbacks',
  'consent',
  'capture',
  'workbench',
  'webhooks',
  'figures',
  'alerts',
  'operator-notes',
  'search',
  'console',
] as const;
