import type { Query } from './call.js';
import type { components } from './generated/api.js';

type Schemas = components['schemas'];

export type { CallOptions, ClientOptions, FollowOptions, Readiness } from './call.js';
export {
  createClient,
  type AnySignals,
  type AnyTemplates,
  type BatchOf,
  type Client,
  type MessageOf,
  type NewMessage,
  type SignalOptions,
} from './client.js';
export type {
  CapturedAttachment,
  CapturedFilter,
  CapturedListFilter,
  CapturedMail,
  CapturedSummary,
  CapturedWaitFilter,
  Cause,
  SimulatedOutcome,
} from './captured.js';
export { RefusedError, UnreachableError, type ProblemBody } from './errors.js';
export type { StreamEvent } from './stream.js';

/** Any schema of the API document, by its name there. */
export type Schema<N extends keyof Schemas> = Schemas[N];
export type MessageSummary = Schemas['MessageSummary'];
export type Message = Schemas['Message'];
export type Delivery = Schemas['Delivery'];
export type Mail = Schemas['Mail'];
export type MessageList = Schemas['MessageList'];
export type Key = Schemas['Key'];
export type KeyBounds = Schemas['KeyBounds'];
export type KeyMade = Schemas['KeyMade'];
export type NewKey = Schemas['NewKey'];
export type State = Schemas['State'];
export type ListFilter = Query<'messages.list'>;
export type TemplateList = Schemas['TemplateList'];
export type Publication = Schemas['Publication'];
export type TemplateSummary = Schemas['TemplateSummary'];
export type TemplateDetail = Schemas['TemplateDetail'];
export type Rendered = Schemas['Rendered'];
export type RenderRequest = Schemas['RenderRequest'];
export type SourceProblem = Schemas['SourceProblem'];
export type SpaceView = Schemas['MySpace'];
export type SessionView = Schemas['Session'];
export type PersonView = Schemas['Person'];
export type InvitedPerson = Schemas['InvitedPerson'];
export type Grant = Schemas['Person']['grants'][number];
export type OpenSession = Schemas['OpenSession'];
export type DoctorFinding = Schemas['DoctorFinding'];
export type AuditEntry = Schemas['AuditEntry'];
export type Upload = Schemas['Upload'];
export type Hold = Schemas['Hold'];
export type Provider = Schemas['Provider'];
export type ProviderReport = Schemas['ProviderReport'];
export type ProviderTrial = Schemas['ProviderTrial'];
export type DomainView = Schemas['Domain'];
export type SenderView = Schemas['Sender'];
export type ConsentView = Schemas['Consent'];
export type TopicView = Schemas['TopicList']['topics'][number];
export type DomainRecord = Schemas['DomainRecord'];
export type DomainReports = Schemas['DomainReports'];
export type DomainVerification = Schemas['DomainVerification'];
export type ReturnView = Schemas['Return'];
export type InboundView = Schemas['Inbound'];
export type InboundSummary = Schemas['InboundSummary'];
export type InboundFilter = Query<'inbound.list'>;
export type SuppressionView = Schemas['Suppression'];
export type ReturnFilter = Query<'returns.list'>;
export type SuppressionFilter = Query<'suppressions.list'>;
export type CloudEvent = Schemas['CloudEvent'];
export type Subscription = Schemas['Subscription'];
export type NewSubscription = Schemas['NewSubscription'];
export type NotificationView = Schemas['Notification'];
export type EngagementView = Schemas['Engagement'];
export type EngagementSums = Schemas['EngagementSums'];
export type FiguresView = Schemas['Figures'];
export type CountsView = Schemas['Counts'];
export type AlertView = Schemas['Alert'];
export type QuarantinedItem = Schemas['QuarantinedItem'];
export type AlertRule = Schemas['AlertRule'];
export type NewAlertRule = Schemas['NewAlertRule'];
export type FiguresFilter = Query<'figures.get'>;
export type BulkSendView = Schemas['BulkSend'];
export type BulkSummary = Schemas['BulkSummary'];
export type NewBulkSend = Schemas['NewBulkSend'];
export type NewPermit = Schemas['NewPermit'];
export type PermitView = Schemas['Permit'];
export type ScheduleView = Schemas['Schedule'];
export type ScheduleSummary = Schemas['ScheduleSummary'];
export type ScheduleRun = Schemas['ScheduleRun'];
export type BulkRefusals = Schemas['BulkRefusals'];
export type SignalView = Schemas['Signal'];
export type SignalList = Schemas['SignalList'];
export type SignalRules = Schemas['SignalRules'];
export type SignalFilter = Query<'signals.list'>;
