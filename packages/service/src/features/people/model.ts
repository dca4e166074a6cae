import * as z from 'zod';
import { oneLine } from '../../kernel/index.js';
import { SpaceView } from '../spaces/index.js';

const Role = z.enum(['viewer', 'member', 'operator']).meta({
  description:
    'viewer: sees messages and their outcomes, without the content of emails. member: also sends, and changes what belongs to the space. operator: also keys; of every space: the service.',
});

const Grant = z
  .strictObject({
    space: z.string().min(1).max(60).meta({ description: '"*" for every space, also those that are added later.' }),
    role: Role,
    content: z.boolean().default(false).meta({ description: 'Whether a viewer may read what emails say.' }),
  })
  .meta({ id: 'Grant' });
const Grants = z
  .array(Grant)
  .min(1)
  .max(200)
  .superRefine((grants, context) => {
    grants.forEach(({ space }, i) => {
      if (grants.findIndex((other) => other.space === space) < i)
        context.addIssue({ code: 'custom', path: [i, 'space'], message: `names the space "${space}" a second time` });
    });
  });

const handOver = {
  send: z.boolean().default(true).meta({ description: 'false: the link is in the answer instead of an email, to be handed over.' }),
};
export const NewPerson = z
  .strictObject({
    email: z.string().min(3).max(320),
    name: oneLine(100).default(''),
    grants: Grants,
    ...handOver,
  })
  .meta({ id: 'NewPerson' });
export const PersonChange = z.strictObject({ name: oneLine(100).optional(), grants: Grants.optional() }).meta({ id: 'PersonChange' });
export const Inviting = z.strictObject(handOver).meta({ id: 'Inviting' });

const personFields = {
  id: z.string(),
  email: z.string(),
  name: z.string(),
  grants: z.array(z.strictObject({ space: z.string(), role: Role, content: z.boolean() })),
  invitedBy: z.string(),
  createdAt: z.iso.datetime(),
  lastSignInAt: z.iso.datetime().optional().meta({ description: 'Absent: the invitation was not used yet.' }),
  sessions: z.int().meta({ description: 'How many are open.' }),
};
export const PersonView = z.strictObject(personFields).meta({ id: 'Person' });
export const PersonList = z.strictObject({ people: z.array(PersonView) }).meta({ id: 'PersonList' });
export const Invited = z
  .strictObject({
    ...personFields,
    invitation: z
      .strictObject({
        sentThrough: z.string().optional().meta({ description: 'The space whose email has the link.' }),
        url: z.string().optional().meta({ description: 'The link, where it was not sent: anybody who opens it signs in as this person.' }),
        endsAt: z.iso.datetime(),
      })
      .meta({ description: 'The link with which they sign in first.' }),
  })
  .meta({ id: 'InvitedPerson' });

const SessionRowView = z
  .strictObject({
    id: z.string(),
    person: z.string().optional().meta({ description: 'Their address; absent with the operator’s secret.' }),
    way: z.enum(['secret', 'link', 'openid']).meta({ description: 'How it was opened.' }),
    openedAt: z.iso.datetime(),
    lastSeenAt: z.iso.datetime().meta({ description: 'To the minute.' }),
    endsAt: z.iso.datetime(),
    address: z.string().meta({ description: 'IP address of the last request.' }),
    browser: z.string(),
    own: z.boolean().meta({ description: 'Whether it is that of this request.' }),
  })
  .meta({ id: 'OpenSession' });
export const SessionList = z.strictObject({ sessions: z.array(SessionRowView) }).meta({ id: 'SessionList' });

const MySpace = z
  .strictObject({
    ...SpaceView.shape,
    role: Role.optional(),
    content: z.boolean().optional().meta({ description: 'Whether the content of emails is shown.' }),
  })
  .meta({ id: 'MySpace' });
export const SessionView = z
  .strictObject({
    spaces: z.array(MySpace).meta({ description: 'Those that one may see.' }),
    folder: z.string().optional().meta({ description: 'In a local preview: the mail folder that is shown.' }),
    operator: z.boolean().optional().meta({ description: 'Whether one administers the service.' }),
    person: z.strictObject({ id: z.string(), email: z.string(), name: z.string() }).optional(),
  })
  .meta({ id: 'Session' });

export const SignIn = z
  .strictObject({ secret: z.string().max(200).optional(), token: z.string().max(200).optional() })
  .refine((body) => (body.secret === undefined) !== (body.token === undefined), 'give either "secret" or "token"')
  .meta({ id: 'SignIn' });
export const SignInLink = z.strictObject({ url: z.string() }).meta({ id: 'SignInLink' });
export const AskForLink = z.strictObject({ email: z.string().min(3).max(320) }).meta({ id: 'AskForLink' });
export const LinkAsked = z.strictObject({ minutes: z.int().meta({ description: 'How long the link works.' }) }).meta({ id: 'LinkAsked' });
export const SignInWays = z
  .strictObject({
    links: z.boolean().meta({ description: 'Whether a link can be sent.' }),
    openid: z.string().optional().meta({ description: 'What the OpenID provider is called, where there is one.' }),
  })
  .meta({ id: 'SignInWays' });

/** How people sign in, and through which space links are sent. */
export const PeopleSettings = z
  .strictObject({
    space: z
      .string()
      .optional()
      .meta({ description: 'The space that sends invitations and links. Left out: the first that delivers to everybody.' }),
    openid: z
      .strictObject({
        name: z.string().min(1).max(60).default('OpenID Connect').meta({ description: 'As the button calls it.' }),
        issuer: z.url({ protocol: /^https?$/ }).meta({ description: 'Where its configuration is found (OpenID Connect Discovery 1.0).' }),
        clientId: z.string().min(1),
        clientSecret: z.string().min(1).optional(),
        clientSecretFile: z.string().optional().meta({ description: 'A file with nothing else in it.' }),
        scopes: z.array(z.string()).default(['openid', 'email', 'profile']),
      })
      .optional()
      .meta({ description: 'People sign in at this OpenID provider. Its callback is publicUrl/console/openid/back.' }),
  })
  .prefault({});
export type PeopleSettings = z.infer<typeof PeopleSettings>;
