// docs/architecture.md: every import points down, none forms a cycle, and folders are entered by their doors (index.ts).
const { readFileSync } = require('node:fs');
const { join } = require('node:path');

const below = (name, from, to) => ({ name, severity: 'error', from: { path: `^packages/${from}/` }, to: { path: `^packages/(${to})/` } });

// Inside core, from the lowest step to the highest. A step knows those before it, never those after.
const STEPS = [
  'system',
  'problems',
  'formats',
  'text',
  'strings',
  'css',
  'notation',
  'typing',
  'render',
  'html',
  'folder',
  'blocks',
  'program',
  'payload',
  'signals',
  'check',
  'mime',
  'schedules',
  'editing',
  'inspect',
  'preview',
  'comparison',
  'dkim',
  'authentication',
  'domains',
  'consent',
  'engagement',
  'smtp',
  'phrases',
  'delivery',
  'profile',
  'returns',
  'inbound',
  'reports',
  'events',
];
const upward = STEPS.map((step, i) => ({
  name: `core-${step}-knows-lower-steps-only`,
  severity: 'error',
  from: { path: `^packages/core/src/${step}/` },
  to: { path: `^packages/core/src/(${STEPS.slice(i + 1).join('|') || 'nothing-is-above'})/` },
}));

// Features of the service, from low to high.
const FEATURES = [
  ...readFileSync(join(__dirname, 'packages/service/src/features/order.ts'), 'utf8').matchAll(/^ +(?:\{ )?name: '([a-z-]+)'(?:,| \},)$/gm),
].map((match) => match[1]);
const climbing = FEATURES.map((feature, i) => ({
  name: `${feature}-knows-lower-features-only`,
  severity: 'error',
  from: { path: `^packages/service/src/features/${feature}/`, pathNot: '\\.test\\.ts$' },
  to: { path: `^packages/service/src/features/(${FEATURES.slice(i + 1).join('|') || 'nothing-is-above'})/` },
}));

module.exports = {
  forbidden: [
    { name: 'no-circles', severity: 'error', from: {}, to: { circular: true } },
    below('core-is-the-ground', 'core', 'service|client|cli|console|simulators'),
    below('service-knows-core-only', 'service', 'client|cli|console|simulators'),
    below('client-knows-the-document-only', 'client', 'core|service|cli|console|simulators'),
    below('console-knows-the-client-only', 'console', 'core|service|cli|simulators'),
    below('simulators-are-outside', 'simulators', 'client|cli|console'),
    below('cli-is-no-page', 'cli', 'console'),
    {
      name: 'core-touches-nothing',
      severity: 'error',
      from: { path: '^packages/core/src/', pathNot: '\\.test\\.ts$' },
      to: { dependencyTypes: ['core'], pathNot: '^(node:)?(buffer|crypto|url|zlib)$' },
    },
    {
      name: 'core-doors',
      severity: 'error',
      from: { path: '^packages/core/src/([^/]+)/' },
      to: { path: '^packages/core/src/([^/]+)/(?!index\\.ts$|text-of-html\\.ts$)', pathNot: '^packages/core/src/($1/|[^/]+/test-)' },
    },
    {
      // The kernel knows nothing about mail.
      name: 'the-kernel-is-the-ground',
      severity: 'error',
      from: { path: '^packages/service/src/kernel/' },
      to: { path: '^packages/(core/src/(?!problems/)|service/src/(?!kernel/))' },
    },
    {
      // Threads and the command line enter the kernel by doors of their own: they never open the database.
      name: 'kernel-door',
      severity: 'error',
      from: { path: '^packages/service/src/', pathNot: '^packages/service/src/kernel/' },
      to: { path: '^packages/service/src/kernel/(?!(index|thread|networks|cache|unavailable|ids|bare-app|public-page)\\.ts$|test-)' },
    },
    {
      name: 'feature-doors',
      severity: 'error',
      from: { path: '^packages/service/src/(features/[^/]+|app|records|settings)/' },
      to: {
        path: '^packages/service/src/(features/[^/]+|app|records|settings)/(?!index\\.ts$|thread\\.ts$).+',
        pathNot: '^packages/service/src/($1/|(features/[^/]+|records)/test-)',
      },
    },
    {
      name: 'features-stand-on-features',
      severity: 'error',
      from: { path: '^packages/service/src/features/', pathNot: '\\.test\\.ts$' },
      to: { path: '^packages/service/src/(app|records|settings)/' },
    },
    {
      name: 'only-queries-write-sql',
      severity: 'error',
      from: {
        path: '^packages/service/src/',
        pathNot:
          '^packages/service/src/(kernel/|features/[^/]+/(tables|.*queries|waiting|waiting-statements|facts|attempts|deliveries)\\.ts$|.*test)',
      },
      to: { path: 'node_modules/(drizzle-orm|better-sqlite3)/' },
    },
    ...climbing,
    {
      name: 'no-feature-without-a-place',
      severity: 'error',
      from: {},
      to: { path: `^packages/service/src/features/(?!(${FEATURES.join('|')})/|order\\.ts$)` },
    },
    ...upward,
    { name: 'no-step-without-a-place', severity: 'error', from: {}, to: { path: `^packages/core/src/(?!(${STEPS.join('|')})/)[^/]+/` } },
  ],
  options: {
    doNotFollow: { path: 'node_modules|/dist/' },
    tsPreCompilationDeps: true,
    enhancedResolveOptions: { extensions: ['.ts', '.tsx', '.js'], conditionNames: ['import', 'types'], exportsFields: ['exports'] },
  },
};
