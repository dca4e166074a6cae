import { CAUSES, FACT_KINDS, STATES, SUPPRESSION_REASONS } from '@verbalis/core/delivery';
import { localeFault } from '@verbalis/core/strings';
import { z } from 'zod';

// The shapes of the API: they validate what comes in, and the OpenAPI document is made from them.

const oneLine = (most: number) =>
  z
    .string()
    .max(most, `must have at most ${most} characters`)
    .refine((text) => !/[\u0000-\u001F\u007F\u2028\u2029]/.test(text), 'must not hold line breaks or control characters');

/** A locale tag, whatever its case. */
export const Locale = z
  .string()
  .max(35)
  .superRefine((tag, context) => {
    const fault = localeFault(tag);
    if (fault !== undefined) context.addIssue({ code: 'custom', message: fault });
  })
  .meta({ description: 'BCP 47 tag; the mail folder’s own when left out.' });

export const State = z.enum(STATES).meta({ id: 'State', description: 'What became of a delivery.' });
export const CauseName = z.enum(CAUSES).meta({ id: 'Cause', description: 'Why a delivery failed or waits.' });

const Recipient = z
  .union([
    z
      .string()
      .min(1)
      .max(1000)
      .meta({ description: 'An address, or "Name <address>".', examples: ['Ása Jóns <asa@post.example>'] }),
    z.strictObject({ name: z.string().max(300).optional(), address: z.string().min(1).max(320) }),
  ])
  .meta({ id: 'Recipient' });

const Attachment = z
  .strictObject({
    name: z.string().min(1).max(200).optional().meta({ description: 'As the recipient sees it.' }),
    type: z.string().max(140).optional().meta({ description: 'Media type; from the name when left out.' }),
    content: z.string().optional().meta({ description: 'Bytes in base64.' }),
    file: z.string().max(300).optional().meta({ description: 'A file below assets/ of the mail folder.' }),
    upload: z.string().max(60).optional().meta({ description: 'Id of an upload.' }),
    url: z.string().max(2000).optional().meta({ description: 'Fetched when the mail is made; never from a private network.' }),
  })
  .refine(
    (one) => [one.content, one.file, one.upload, one.url].filter((way) => way !== undefined).length === 1,
    'needs exactly one of content, file, upload, url',
  )
  .meta({ id: 'Attachment' });

export const NewMessage = z
  .strictObject({
    template: z
      .string()
      .min(1)
      .max(100)
      .optional()
      .meta({ description: 'Name of a template of the space’s current edition. Left out: the mail itself is given.' }),
    subject: oneLine(998).optional(),
    html: z.string().optional(),
    text: z.string().optional(),
    topic: z.string().max(100).optional().meta({ description: 'Of a mail without a template.' }),
    notBefore: z
      .string()
      .max(40)
      .optional()
      .meta({ description: 'When to send: an instant, or a clock time in timeZone; up to a year ahead.' }),
    expiresAt: z.string().max(40).optional().meta({ description: 'After this it is not sent any more.' }),
    timeZone: z.string().max(60).optional().meta({ description: 'IANA zone of clock times; the mail folder’s when left out.' }),
    to: z.array(Recipient).min(1, 'must name at least one recipient').meta({ description: 'Each recipient gets a delivery of their own.' }),
    data: z.record(z.string(), z.unknown()).optional().meta({ description: 'Data that fits the template’s data schema.' }),
    cc: z.array(Recipient).optional(),
    bcc: z.array(Recipient).optional().meta({ description: 'Get the mail without standing in it.' }),
    from: Recipient.optional().meta({ description: 'Another sender, within the domains of the space.' }),
    replyTo: z.array(Recipient).optional(),
    headers: z
      .record(z.string(), z.string())
      .optional()
      .meta({ description: 'Header fields of the app’s own; those that the service writes are refused.' }),
    inReplyTo: z
      .string()
      .max(1000)
      .optional()
      .meta({ description: 'What this answers: the id of a message here, or a Message-ID in angle brackets.' }),
    references: z.array(z.string().max(1000)).max(50).optional(),
    attachments: z.array(Attachment).max(50).optional(),
    calendar: z
      .strictObject({ method: z.string().regex(/^[A-Z-]{1,30}$/, 'must be a method like REQUEST'), text: z.string().max(200_000) })
      .optional()
      .meta({ description: 'An iCalendar object (RFC 5545) that clients offer to answer.' }),
    locale: Locale.optional(),
    reference: oneLine(200).optional().meta({ description: 'The app’s own name for what the message is about.' }),
    labels: z.record(oneLine(60), oneLine(200)).optional(),
  })
  .meta({ id: 'NewMessage' });

const Mailbox = z.strictObject({ name: z.string(), address: z.string() }).meta({ id: 'Mailbox' });

export const DeliverySummary = z
  .strictObject({ id: z.string(), address: z.string(), state: State, cause: CauseName.optional() })
  .meta({ id: 'DeliverySummary' });

const messageFields = {
  id: z.string(),
  createdAt: z.iso.datetime(),
  template: z.string(),
  edition: z.int(),
  locale: z.string().meta({ description: 'The locale that the mail is in.' }),
  localeAsked: z.string().optional().meta({ description: 'The locale that was asked for, where the template is not offered in it.' }),
  topic: z.string().optional(),
  subject: z.string(),
  from: Mailbox,
  to: z.array(Mailbox),
  cc: z.array(Mailbox).optional(),
  attachments: z.array(z.strictObject({ name: z.string(), type: z.string(), size: z.int().optional() })).optional(),
  reference: z.string().optional(),
  labels: z.record(z.string(), z.string()),
};

export const MessageSummary = z.strictObject({ ...messageFields, deliveries: z.array(DeliverySummary) }).meta({ id: 'MessageSummary' });

export const AttemptView = z
  .strictObject({
    number: z.int(),
    provider: z.string(),
    startedAt: z.iso.datetime(),
    endedAt: z.iso.datetime().optional(),
    outcome: z
      .enum(['accepted', 'refused', 'deferred', 'trouble', 'uncertain'])
      .optional()
      .meta({ description: 'Absent while it is under way.' }),
    phase: z.string().optional(),
    replyCode: z.int().optional(),
    status: z.string().optional().meta({ description: 'Enhanced status code (RFC 3463).' }),
    diagnostic: z.string().optional(),
    providerId: z.string().optional().meta({ description: 'What the provider calls the mail.' }),
  })
  .meta({ id: 'Attempt' });

export const FactView = z
  .strictObject({
    kind: z.enum(FACT_KINDS),
    source: z.enum(['attempt', 'return', 'service']),
    at: z.iso.datetime(),
    cause: CauseName.optional(),
    status: z.string().optional(),
    replyCode: z.int().optional(),
    diagnostic: z.string().optional(),
    returnId: z.string().optional(),
  })
  .meta({ id: 'Fact' });

export const DeliveryView = z
  .strictObject({
    id: z.string(),
    address: z.string(),
    intended: z.string().optional().meta({ description: 'Whom the app meant, where the space’s rules sent it elsewhere.' }),
    state: State,
    cause: CauseName.optional(),
    sentence: z.string().meta({ description: 'What became of it, in words.' }),
    advice: z.string().optional().meta({ description: 'What to do about it.' }),
    nextAttemptAt: z.iso.datetime().optional(),
    attempts: z.array(AttemptView),
    facts: z.array(FactView),
  })
  .meta({ id: 'Delivery' });

export const MessageView = z
  .strictObject({ ...messageFields, data: z.unknown(), deliveries: z.array(DeliveryView) })
  .meta({ id: 'Message' });

export const MessageList = z
  .strictObject({
    messages: z.array(MessageSummary),
    nextCursor: z.string().optional().meta({ description: 'Give it as cursor to get the next page.' }),
    partial: z
      .boolean()
      .optional()
      .meta({ description: 'True when the look ended before the page was full: older messages may fit too; go on with nextCursor.' }),
  })
  .meta({ id: 'MessageList' });

export const MailView = z
  .strictObject({
    subject: z.string(),
    headers: z.array(z.strictObject({ name: z.string(), value: z.string() })),
    html: z.string(),
    text: z.string(),
    size: z.int().meta({ description: 'Bytes of the whole mail.' }),
  })
  .meta({ id: 'Mail' });

export const ListQuery = z.strictObject({
  limit: z.coerce.number().int().min(1).max(200).default(50),
  cursor: z.string().max(60).optional(),
  state: State.optional(),
  address: z.string().max(320).optional(),
  template: z.string().max(100).optional(),
  reference: z.string().max(200).optional(),
  from: z.iso.datetime({ offset: true }).optional().meta({ description: 'Asked for at this time or later.' }),
  to: z.iso.datetime({ offset: true }).optional().meta({ description: 'Asked for before this time.' }),
  space: z.string().optional(),
});

export const SCOPES = ['send', 'read', 'write', 'admin'] as const;
export type Scope = (typeof SCOPES)[number];

export const NewKey = z.strictObject({ name: oneLine(100).min(1), scopes: z.array(z.enum(SCOPES)).min(1) }).meta({ id: 'NewKey' });
export const KeyMade = z
  .strictObject({
    id: z.string(),
    name: z.string(),
    scopes: z.array(z.enum(SCOPES)),
    key: z.string().meta({ description: 'Shown once; kept as a hash.' }),
  })
  .meta({ id: 'KeyMade' });

export const NewBatch = z
  .strictObject({
    template: z.string().min(1).max(100).optional().meta({ description: 'For all entries that name none.' }),
    mode: z.enum(['all', 'each']).default('each').meta({ description: 'all: none is taken unless all can be.' }),
    messages: z.array(z.record(z.string(), z.unknown())).min(1).max(1000).meta({ description: 'Each as for POST /v1/messages.' }),
  })
  .meta({ id: 'NewBatch' });
export const BatchView = z
  .strictObject({
    accepted: z.int(),
    refused: z.int(),
    results: z.array(
      z.strictObject({
        index: z.int(),
        id: z.string().optional(),
        problems: z.array(z.strictObject({ path: z.string(), message: z.string(), hint: z.string().optional() })).optional(),
      }),
    ),
  })
  .meta({ id: 'Batch' });
export const Rescheduling = z
  .strictObject({ notBefore: z.string().max(40), timeZone: z.string().max(60).optional() })
  .meta({ id: 'Rescheduling' });
export const ChangeView = z
  .strictObject({
    changed: z.array(z.string()).meta({ description: 'Deliveries that were changed.' }),
    late: z.array(z.string()).meta({ description: 'Deliveries for which it came too late.' }),
  })
  .meta({ id: 'Change' });

const Hash = z.string().regex(/^[0-9a-f]{64}$/, 'must be a SHA-256 in hex');
const FilePath = z
  .string()
  .min(1)
  .max(300)
  .refine((path) => !path.startsWith('/') && !path.split('/').includes('..'), 'must be a path within the folder');
export const NewEdition = z
  .strictObject({
    manifest: z.record(FilePath, Hash).meta({ description: 'Path to SHA-256 of its contents.' }),
    contents: z.record(Hash, z.string()).default({}).meta({ description: 'Contents in base64 that the service does not have yet.' }),
  })
  .meta({ id: 'NewEdition' });
export const UseEdition = z.strictObject({ number: z.int().min(1) }).meta({ id: 'UseEdition' });
export const EditionView = z
  .strictObject({ number: z.int(), hash: z.string(), createdAt: z.iso.datetime(), files: z.int(), inUse: z.boolean() })
  .meta({ id: 'Edition' });
export const EditionDetail = z
  .strictObject({ ...EditionView.shape, manifest: z.record(z.string(), z.string()) })
  .meta({ id: 'EditionDetail' });
export const EditionList = z.strictObject({ editions: z.array(EditionView) }).meta({ id: 'EditionList' });
const FileChange = z.strictObject({ path: z.string(), change: z.enum(['added', 'changed', 'removed']) }).meta({ id: 'FileChange' });
export const Publication = z
  .strictObject({ missing: z.array(z.string()), edition: EditionView.optional(), changes: z.array(FileChange) })
  .meta({ id: 'Publication' });
export const EditionDiff = z.strictObject({ changes: z.array(FileChange) }).meta({ id: 'EditionDiff' });

export const QueueView = z
  .strictObject({
    waiting: z.int(),
    due: z.int(),
    oldest: z.iso.datetime().optional(),
    lines: z.array(
      z.strictObject({
        priority: z.enum(['essential', 'optional']),
        topic: z.string().optional(),
        state: z.string(),
        waiting: z.int(),
        due: z.int(),
        oldest: z.iso.datetime(),
      }),
    ),
    lastHour: z.array(z.strictObject({ provider: z.string(), outcome: z.string(), attempts: z.int() })),
  })
  .meta({ id: 'Queue' });

export const UploadQuery = z.strictObject({ name: oneLine(200).min(1), space: z.string().optional() });
export const UploadView = z
  .strictObject({ id: z.string(), name: z.string(), type: z.string(), size: z.int(), sha256: z.string() })
  .meta({ id: 'Upload' });

export const ProviderView = z
  .strictObject({
    name: z.string(),
    kind: z.enum(['smtp', 'http', 'capture', 'file', 'log']),
    where: z.string(),
    state: z.enum(['working', 'resting', 'paused']),
    until: z.iso.datetime().optional(),
  })
  .meta({ id: 'Provider' });
export const ProviderList = z.strictObject({ providers: z.array(ProviderView) }).meta({ id: 'ProviderList' });
export const ProviderTest = z
  .strictObject({ to: z.string().max(320).optional().meta({ description: 'An address that gets a test mail.' }) })
  .meta({ id: 'ProviderTest' });
export const ProviderReport = z
  .strictObject({
    name: z.string(),
    kind: z.string(),
    where: z.string(),
    ok: z.boolean(),
    findings: z.array(
      z.strictObject({ step: z.string(), ok: z.boolean(), milliseconds: z.int(), detail: z.string(), hint: z.string().optional() }),
    ),
  })
  .meta({ id: 'ProviderReport' });

export const NewDomain = z
  .strictObject({
    name: z.string().min(3).max(253),
    algorithms: z
      .array(z.enum(['rsa-sha256', 'ed25519-sha256']))
      .min(1)
      .max(2)
      .optional()
      .meta({ description: 'How its mails are signed; both where nothing is said.' }),
  })
  .meta({ id: 'NewDomain' });
export const DomainView = z
  .strictObject({
    name: z.string(),
    records: z
      .array(z.strictObject({ type: z.enum(['TXT']), name: z.string(), text: z.string() }))
      .meta({ description: 'To be published in the DNS.' }),
  })
  .meta({ id: 'Domain' });
export const DomainList = z.strictObject({ domains: z.array(DomainView) }).meta({ id: 'DomainList' });

export const OperatorNote = z
  .strictObject({ subject: oneLine(200).min(1), text: z.string().min(1).max(20_000) })
  .meta({ id: 'OperatorNote' });
export const OperatorNoteMade = z.strictObject({ id: z.string() }).meta({ id: 'OperatorNoteMade' });

export const ReturnKindName = z.enum(['delivery-status', 'complaint', 'auto-reply', 'read-receipt', 'other']).meta({ id: 'ReturnKind' });
const ReportView = z
  .strictObject({
    address: z.string(),
    action: z.enum(['failed', 'delayed', 'delivered', 'relayed', 'expanded']),
    status: z.string().optional(),
    replyCode: z.int().optional(),
    cause: CauseName,
    evidence: z.string().meta({ description: 'The words or the code that told the cause.' }),
    confidence: z.enum(['sure', 'likely', 'guess']),
    permanent: z.boolean(),
    diagnostic: z.string().optional(),
  })
  .meta({ id: 'RecipientReport' });
export const ReturnView = z
  .strictObject({
    id: z.string(),
    receivedAt: z.iso.datetime(),
    source: z.enum(['mail', 'upload', 'callback']),
    provider: z.string().optional(),
    kind: ReturnKindName,
    matched: z.boolean(),
    deliveryId: z.string().optional(),
    messageId: z.string().optional().meta({ description: 'The message of that delivery.' }),
    from: z.string().optional(),
    subject: z.string().optional(),
    envelopeTo: z.string().optional(),
    originalMessageId: z.string().optional(),
    feedbackType: z.string().optional(),
    problem: z.string().optional(),
    recipients: z.array(ReportView),
  })
  .meta({ id: 'Return' });
export const ReturnList = z.strictObject({ returns: z.array(ReturnView), nextCursor: z.string().optional() }).meta({ id: 'ReturnList' });
const page = {
  limit: z.coerce.number().int().min(1).max(200).default(50),
  cursor: z.string().max(60).optional(),
  space: z.string().optional(),
};
export const ReturnQuery = z.strictObject({ ...page, kind: ReturnKindName.optional(), matched: z.enum(['yes', 'no']).optional() });
export const ReturnMatch = z.strictObject({ deliveryId: z.string().min(1).max(60) }).meta({ id: 'ReturnMatch' });
export const ReturnsTaken = z
  .strictObject({
    returns: z.array(z.strictObject({ id: z.string(), kind: ReturnKindName, deliveryId: z.string().optional(), repeated: z.boolean() })),
  })
  .meta({ id: 'ReturnsTaken' });
export const CallTaken = z.strictObject({ events: z.int() }).meta({ id: 'CallTaken' });

export const SuppressionReasonName = z.enum(SUPPRESSION_REASONS).meta({ id: 'SuppressionReason' });
export const SuppressionView = z
  .strictObject({
    id: z.string(),
    address: z.string(),
    topic: z.string().optional().meta({ description: 'Only mail of this topic; left out: none at all.' }),
    reason: SuppressionReasonName,
    cause: CauseName.optional(),
    sentence: z.string(),
    evidence: z.string().optional(),
    deliveryId: z.string().optional(),
    note: z.string().optional(),
    createdAt: z.iso.datetime(),
    liftedAt: z.iso.datetime().optional(),
    liftNote: z.string().optional(),
  })
  .meta({ id: 'Suppression' });
export const SuppressionList = z
  .strictObject({ suppressions: z.array(SuppressionView), nextCursor: z.string().optional() })
  .meta({ id: 'SuppressionList' });
export const SuppressionQuery = z.strictObject({
  ...page,
  address: z.string().max(400).optional(),
  topic: z.string().max(100).optional(),
  reason: SuppressionReasonName.optional(),
  lifted: z.enum(['yes', 'no']).default('no'),
});
export const NewSuppression = z
  .strictObject({ address: z.string().min(3).max(400), topic: oneLine(100).optional(), note: oneLine(500).optional() })
  .meta({ id: 'NewSuppression' });
export const Lifting = z.strictObject({ note: oneLine(500).min(1, 'must say why') }).meta({ id: 'Lifting' });
export const SuppressionImport = z
  .strictObject({
    added: z.int(),
    known: z.int(),
    refused: z.int(),
    lines: z
      .array(
        z.strictObject({
          line: z.int(),
          address: z.string().optional(),
          result: z.enum(['added', 'known', 'refused']),
          problem: z.string().optional(),
        }),
      )
      .meta({ description: 'Of every line of the file, what became of it.' }),
  })
  .meta({ id: 'SuppressionImport' });

export const Problem = z
  .strictObject({
    type: z.string(),
    title: z.string(),
    status: z.int(),
    detail: z.string().optional(),
    hint: z.string().optional(),
    problems: z.array(z.strictObject({ path: z.string(), message: z.string(), hint: z.string().optional() })).optional(),
  })
  .meta({ id: 'Problem', description: 'RFC 9457, with all faults at once.' });

export const SpaceView = z
  .strictObject({
    name: z.string(),
    mode: z.enum(['deliver', 'capture']),
    mark: z.string().optional().meta({ description: 'Put before or after every subject.' }),
    allowed: z.array(z.string()).optional().meta({ description: 'Who may get mail; everybody when absent.' }),
    redirectTo: z.string().optional().meta({ description: 'Where mail for everybody else goes; it is captured when absent.' }),
    archive: z.string().optional().meta({ description: 'Gets a copy of every mail.' }),
    submission: z.string().optional().meta({ description: 'host:port where any app hands mail in by SMTP, without a key.' }),
  })
  .meta({ id: 'Space' });
export const SpaceList = z
  .strictObject({
    spaces: z.array(SpaceView),
    folder: z.string().optional().meta({ description: 'In a local preview: the mail folder that is shown.' }),
  })
  .meta({ id: 'SpaceList' });

export const SearchQuery = z.strictObject({ q: z.string().min(1).max(320), space: z.string().optional() });
export const SearchResult = z
  .strictObject({
    hits: z.array(
      z.strictObject({
        kind: z.enum(['message', 'captured', 'return', 'suppression']),
        id: z.string(),
        address: z.string().optional(),
        title: z.string(),
        state: State.optional(),
        at: z.iso.datetime(),
      }),
    ),
    subjectsOf: z.int().meta({ description: 'Of so many of the newest messages the subjects were looked through.' }),
  })
  .meta({ id: 'SearchResult' });

export const SignIn = z
  .strictObject({ secret: z.string().max(200).optional(), token: z.string().max(200).optional() })
  .refine((body) => (body.secret === undefined) !== (body.token === undefined), 'give either "secret" or "token"')
  .meta({ id: 'SignIn' });
