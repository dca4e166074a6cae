import { mailBytes } from '@verbalis/core/mime';
import { replyLocal, returnToken } from '@verbalis/core/returns';
import { openAddresses } from '../features/addresses/index.js';
import { openAlerts, type ServiceTroubles } from '../features/alerts/index.js';
import { openAudit } from '../features/audit/index.js';
import { openAttachments } from '../features/attachments/index.js';
import { openBackups } from '../features/backups/index.js';
import { openClusterNode } from '../features/cluster/index.js';
import { composeMail, type EmailLinks } from '../features/composing/index.js';
import { openConfiguration } from '../features/configuration/index.js';
import type { Consent } from '../features/consent/index.js';
import { openCopies } from '../features/copies/index.js';
import type { DomainWatch, SharePageOptions } from '../features/domain-checks/index.js';
import { openDomains } from '../features/domains/index.js';
import { openEditions } from '../features/editions/index.js';
import type { EngagementFeature } from '../features/engagement/index.js';
import { openEvents } from '../features/events/index.js';
import { openFigures } from '../features/figures/index.js';
import { openHolds } from '../features/holds/index.js';
import { Guesses, noteUses, openKeys, type NoteUse, type SpaceSummary } from '../features/keys/index.js';
import { openMessages, type DeliveryRow, type MessageRow } from '../features/messages/index.js';
import { openOperatorNotes } from '../features/operator-notes/index.js';
import { openPeople } from '../features/people/index.js';
import { openProviders, type Job } from '../features/providers/index.js';
import { openQuarantine } from '../features/quarantine/index.js';
import { openQueue } from '../features/queue/index.js';
import type { TestMails } from '../features/returns/index.js';
import { openSearch } from '../features/search/index.js';
import type { SpaceSettings } from '../features/spaces/index.js';
import { sendersOf } from '../features/senders/index.js';
import { dayKeysFolder, dayKeysIn, sensitiveData } from '../features/sensitive-data/index.js';
import { openSuppressions } from '../features/suppressions/index.js';
import { openWebhooks } from '../features/webhooks/index.js';
import { openWorkbench } from '../features/workbench/index.js';
import type { RequestHandler, Router } from 'express';
import { openDoctor, recordsFor, type Finding } from '../features/doctor/index.js';
import type { Access, AuditLog, Feature, Reader } from '../kernel/index.js';
import { explain, type Settings } from '../settings/index.js';
import { openAuthors } from './authors.js';
import type { BuildOptions } from './build-options.js';
import { openReaders } from './readers.js';
import { openReceiving, type Receiving } from './receiving.js';
import { examine } from './doctor.js';
import { endpointSummaries } from './endpoints.js';
import { mustSign } from './sending-spaces.js';
import { openWhatFollows } from './what-follows.js';

const DAY = 86_400_000;

export interface Built {
  /** From low to high, as features/order.ts lists them. */
  readonly features: readonly Feature[];
  readonly access: Access;
  readonly audit: AuditLog;
  /** What is missing or risky in how the service is set up. */
  readonly examine: () => Promise<Finding[]>;
  readonly signInLink: (base: string) => Promise<string>;
  /** Publishes the folders of other spaces than those it was opened with. @throws Refusal, StartError */
  readonly publishFolders: (spaces: SpaceSettings, folder: string) => Promise<void>;
  /** For the pages that need no key. */
  readonly consentPages: Consent['pages'];
  readonly hitPages: EngagementFeature['pages'];
  /** Whether links of emails lead, or once led, to a host. */
  readonly isLinkHost: (host: string) => boolean;
  readonly returnsPort: () => number;
  readonly submissionPort: () => number | undefined;
  readonly submissionTlsPort: () => number | undefined;
  readonly sharedDomains: SharePageOptions;
  readonly confirmPages: Router;
  readonly permitCors: RequestHandler;
}

/** What a higher feature does for a lower one: known only when all are open. */
interface Later {
  wake: () => void;
  capture: (job: Job) => Promise<void>;
  compose: (message: MessageRow, delivery: DeliveryRow) => Promise<Buffer>;
  waitsFor: (delivery: DeliveryRow) => string | undefined;
  unlinked: (html: string) => string;
  jobOf: (space: string, messageId: string) => Promise<Job | undefined>;
  testMails: TestMails;
  reportArrived: () => void;
}

function later(): Later {
  const early = (): never => {
    throw new Error('A feature was used before all of them were open.');
  };
  return {
    wake: early,
    capture: early,
    compose: early,
    waitsFor: early,
    unlinked: early,
    jobOf: early,
    testMails: { isAwaited: early, receive: early },
    reportArrived: early,
  };
}

function spaceSummaries({ spaces, submission }: Settings, submissionPort: () => number | undefined): ReadonlyMap<string, SpaceSummary> {
  return new Map(
    Object.entries(spaces).map(([name, { mode, mark, recipients, archive }]) => [
      name,
      {
        mode,
        mark: mark?.text,
        allowed: recipients?.allowed,
        redirectTo: recipients?.redirectTo,
        archive,
        get submission() {
          const port = submission.openTo === name ? submissionPort() : undefined;
          return port === undefined ? undefined : `${submission.host}:${port}`;
        },
      },
    ]),
  );
}

/** Opens all features in order, each with the doors of those below it. */
export async function openFeatures(options: BuildOptions): Promise<Built> {
  const { runtime, store, settings } = options;
  const upper = later();
  const writing = await openWriting(options, upper);
  const sending = await openSending(options, writing, upper);
  const ledgerFile = `${runtime.within(settings.databaseFile)}.erasures`;
  const copies = await openCopies(runtime, { store, settings: settings.copies, ledgerFile });
  const cluster = openClusterNode(runtime, options.node);
  const backups = openBackups(runtime, { store, settings: settings.backup, ledgerFile });
  const authors = await openAuthors(options, writing);
  const { watch } = authors;
  const noteUse = noteUses({ store, clock: runtime.clock, log: runtime.log });
  const receiving = openReceiving(options, writing, { noteUse, upper });
  upper.testMails = watch.testMails;
  upper.reportArrived = authors.reportArrived;
  upper.capture = receiving.captured.keep;
  const { keys, people, audit } = openGuards(options, { writing, noteUse, submissionPort: receiving.submission.port });
  const { features: whatFollows, permitCors } = openWhatFollows(options, writing);
  return {
    access: people.access,
    audit: audit.log,
    examine: examinesWith(options),
    signInLink: people.signInLink,
    permitCors,
    publishFolders: writing.publishFolders,
    consentPages: writing.consent.pages,
    hitPages: writing.engagement.pages,
    isLinkHost: (host) => writing.domains.isLinkHost(host),
    sharedDomains: watch.shared,
    confirmPages: authors.confirmPages,
    returnsPort: receiving.returns.port,
    submissionPort: receiving.submission.port,
    submissionTlsPort: receiving.submission.tlsPort,
    features: [
      keys.feature,
      openQuarantine(runtime, store),
      copies.feature,
      cluster.feature,
      backups.feature,
      writing.editing,
      openAttachments(runtime, store, settings.limits.attachmentBytes),
      ...writing.features,
      audit.feature,
      people.feature,
      ...writing.readers,
      ...sending.features,
      receiving.submission.feature,
      receiving.returns.feature,
      receiving.inbound.feature,
      receiving.callbacks.feature,
      receiving.captured.feature,
      ...authors.features,
      ...openUpper(options, { writing, sending, receiving, ledgerFile, troubles: { copies, backups, cluster }, watch, whatFollows }),
    ],
  };
}

function examinesWith({ runtime, store, settings, folder, origins, secrets, editions, node }: BuildOptions): () => Promise<Finding[]> {
  return () => {
    const now = runtime.clock.now();
    const chosenSecret = secrets.isChosen ? secrets.operator : undefined;
    return examine({ config: { settings, folder, origins }, now, chosenSecret, records: recordsFor(store.reads, now), editions, node });
  };
}

interface GuardsBelow {
  readonly writing: Writing;
  readonly noteUse: NoteUse;
  readonly submissionPort: () => number | undefined;
}

/** Who may do what, and what is kept of it. */
function openGuards({ runtime, store, settings, secrets }: BuildOptions, { writing, noteUse, submissionPort }: GuardsBelow) {
  const spaces = spaceSummaries(settings, submissionPort);
  const guarding = { store, operatorSecret: secrets.operator, spaces, guesses: new Guesses() };
  const keys = openKeys(runtime, { ...guarding, noteUse });
  const people = openPeople(runtime, { ...guarding, settings: settings.people, accept: writing.accept, bearer: keys.bearer });
  const audit = openAudit(runtime, {
    store,
    feed: writing.feed,
    keptMs: settings.keep.auditDays * DAY,
    isCapturing: (space) => settings.spaces[space]?.mode === 'capture',
    summaries: endpointSummaries,
  });
  return { keys, people, audit };
}

interface Below {
  readonly writing: Writing;
  readonly sending: Awaited<ReturnType<typeof openSending>>;
  readonly receiving: Receiving;
  readonly ledgerFile: string;
  /** What an operator must know of the service as a whole, by the rule that it fires. */
  readonly troubles: ServiceTroubles;
  readonly watch: DomainWatch;
  readonly whatFollows: readonly Feature[];
}

/** What people look at and are notified of. */
function openUpper(options: BuildOptions, { writing, sending, receiving, ledgerFile, troubles, watch, whatFollows }: Below): Feature[] {
  const { runtime, store, settings, secrets, folder, origins, reloading } = options;
  const { spaces } = settings;
  const { accept, feed, suppressing } = writing;
  const operators = new Map(Object.entries(spaces).map(([name, { operator }]) => [name, operator]));
  return [
    openWorkbench(runtime, {
      store,
      capturing: receiving.captured.capturing,
      providers: sending.providers,
      probe: sending.probe,
      routeOf: (space) => (spaces[space]?.route ?? []).map(({ provider }) => provider),
    }),
    openWebhooks(runtime, {
      store,
      feed,
      outside: { allow: settings.outside.allow },
      master: secrets.keyFor('webhooks'),
      helloName: settings.helloName,
    }),
    openFigures(runtime, store, feed),
    openAlerts(runtime, {
      store,
      settings,
      feed,
      accept,
      operators,
      meaningless: receiving.callbacks.meaningless,
      troubles,
      domains: watch,
    }),
    openOperatorNotes(runtime, { store, accept, operators }),
    openSearch({ store, editions: options.editions }),
    ...whatFollows,
    openDoctor({ examine: examinesWith(options) }),
    openConfiguration({ ...reloading, explain: () => explain({ settings, folder, origins }) }),
    openAddresses(runtime, {
      store,
      key: secrets.keyFor('erasure'),
      ledgerFile,
      keyOf: suppressing.keyOf,
    }),
  ];
}

type Writing = Awaited<ReturnType<typeof openWriting>>;

function sensitiveOf({ runtime, store, settings, secrets }: BuildOptions): ReturnType<typeof sensitiveData> {
  const keys = dayKeysIn(runtime.within(dayKeysFolder(settings)));
  return sensitiveData({ store, keys, master: secrets.keyFor('sensitive data') });
}

/** What a message is made of, and what is known about it. */
async function openWriting(options: BuildOptions, upper: Later) {
  const { runtime, store, settings, secrets, editions, links, isStandby } = options;
  const { spaces, limits } = settings;
  const isNeeded: Parameters<typeof openEditions>[1]['isNeeded'] = (tx, space, number) => store.messages.usesEdition(tx, space, number);
  const { publishFolders, feature: editing } = await openEditions(runtime, { ...options, spaces, isNeeded });
  const { domains, feature: sendingAs } = await openDomains(runtime, {
    store,
    master: secrets.keyFor('signing'),
    sharedHost: settings.returns.domain,
    isChecked: settings.dns.check,
    isStandby,
  });
  const senders = sendersOf({ store, spaces, domains });
  const { suppressing, feature: suppressions } = openSuppressions(runtime, store, settings.suppress, secrets.keyFor('erasure'));
  const suppressionFor = (row: DeliveryRow, from: Reader): string | undefined => suppressing.suppressionFor(row, from);
  const sensitive = sensitiveOf(options);
  const {
    accept,
    readings,
    feature: messages,
  } = openMessages(runtime, {
    store,
    editions,
    spaces,
    limits,
    suppressionFor,
    senders,
    sensitive,
    signing: { mustSign: (space) => mustSign(settings, space), signingOf: (sender) => domains.signingOf(sender) },
    wake: () => {
      upper.wake();
    },
    compose: (message, delivery) => upper.compose(message, delivery),
    waitsFor: (delivery) => upper.waitsFor(delivery),
    unlinked: (html) => upper.unlinked(html),
  });
  const { feed, feature: events } = openEvents(runtime, store);
  const { consent, engagement } = openReaders(
    { runtime, store, settings, secrets, editions, links },
    { domains, suppressing, accept, feed },
  );
  upper.unlinked = engagement.unlinked;
  return {
    editions,
    editing,
    publishFolders,
    domains,
    senders,
    suppressing,
    suppressionFor,
    consent,
    engagement,
    accept,
    readings,
    sensitive,
    feed,
    features: [sendingAs, messages, suppressions, events],
    readers: [consent.feature, engagement.feature],
  };
}

/** What hands messages over to providers. */
async function openSending(
  { runtime, store, settings, secrets, folder, threads, elsewhere }: BuildOptions,
  writing: Writing,
  upper: Later,
) {
  const { spaces, limits, outside } = settings;
  const { editions, domains, suppressionFor } = writing;
  const capture = (job: Job): Promise<void> => upper.capture(job);
  const routes = Object.values(spaces).flatMap(({ mode, route }) => (mode === 'deliver' ? [route.map(({ provider }) => provider)] : []));
  const { providers, router, probe, feature } = openProviders(runtime, {
    store,
    settings,
    threads,
    routes,
    routeOf: (space) => (spaces[space]?.route ?? []).map(({ provider }) => provider),
    capture,
    keysFor: (domain) => domains.keysFor(domain),
    senderOf: async (space) => spaces[space]?.sender ?? (await editions.current(space))?.project.settings.sender,
    jobOf: (space, messageId) => upper.jobOf(space, messageId),
    wake: () => {
      upper.wake();
    },
  });
  const { holding, feature: holds } = openHolds(runtime, {
    store,
    wake: () => {
      upper.wake();
    },
  });
  /** Where answers come to us: not at a host that nobody else can reach, where the email leaves. */
  const answersTo = ({ more, space }: MessageRow, { id, senderDomain }: DeliveryRow): string | undefined => {
    const host = domains.returnHostFor(senderDomain);
    if (more.replies !== true || (host.endsWith('.localhost') && spaces[space]?.mode === 'deliver')) return undefined;
    return `${replyLocal(secrets.keyFor('returns'), id)}@${host}`;
  };
  const linksOf = (message: MessageRow, delivery: DeliveryRow): EmailLinks => ({
    wayOut: writing.consent.wayOutOf(delivery),
    tracking: writing.engagement.trackingOf(message, delivery),
    answersTo: answersTo(message, delivery),
  });
  const queue = await openQueue(runtime, {
    store,
    settings,
    queue: settings.dispatch,
    spaces,
    feed: writing.feed,
    routes,
    folder,
    threads,
    elsewhere,
    providers,
    router,
    editions,
    domains,
    capture,
    outside: { allow: outside.allow, waitMs: outside.waitSeconds * 1000, mostBytes: limits.attachmentBytes },
    returnSecret: secrets.keyFor('returns'),
    linksOf,
    readings: writing.readings,
    suppressionFor,
    holding,
  });
  upper.wake = queue.wake;
  upper.waitsFor = queue.waitsFor;
  upper.compose = async (message, delivery) =>
    mailBytes((await composeMail(queue.sources, message, delivery, linksOf(message, delivery))).mail);
  upper.jobOf = async (space, messageId) => {
    const stored = store.messages.find(space, messageId);
    const message = stored === undefined ? undefined : await writing.readings.masked(stored);
    const [delivery] = message === undefined ? [] : store.messages.deliveriesOf([messageId]);
    if (message === undefined || delivery === undefined) return undefined;
    const { mail, parts } = await composeMail(queue.sources, message, delivery, linksOf(message, delivery));
    const { domain, senderDomain } = delivery;
    const from = `returns+${returnToken(secrets.keyFor('returns'), delivery.id)}@${domains.returnHostFor(senderDomain)}`;
    return { envelope: { from, to: delivery.address, id: delivery.id }, mail, parts, request: { space, urgent: true, domain } };
  };
  return { providers, probe, features: [feature, holds, queue.feature] };
}
