import type { Client, Grant } from '@verbalis/client';
import { startSignInProvider, type SignInProvider } from '@verbalis/simulators';

interface Colleague {
  readonly name: string;
  readonly local: string;
  readonly grants: Grant[];
}

const DOMAIN = 'saltmarsh-ferries.example';
const EVERY_SPACE = '*';

/** Who works with email at the ferry company. */
const COLLEAGUES: readonly Colleague[] = [
  { name: 'Ines Roth', local: 'ines.roth', grants: [{ space: EVERY_SPACE, role: 'operator', content: true }] },
  {
    name: 'Mara Voss',
    local: 'mara.voss',
    grants: [
      { space: 'harbour', role: 'member', content: true },
      { space: 'drydock', role: 'operator', content: true },
    ],
  },
  { name: 'Vera Holm', local: 'vera.holm', grants: [{ space: 'harbour', role: 'viewer', content: false }] },
];

const emailOf = ({ local }: Colleague): string => `${local}@${DOMAIN}`;

/** Starts the stand-in where they have their accounts. @param issuer as the demo's configuration names it */
export function startAccounts({
  issuer,
  clientId,
  clientSecret,
}: {
  issuer: string;
  clientId: string;
  clientSecret?: string | undefined;
}): Promise<SignInProvider> {
  const { hostname, port } = new URL(issuer);
  return startSignInProvider({
    host: hostname,
    port: Number(port),
    clientId,
    clientSecret: clientSecret ?? '',
    accounts: COLLEAGUES.map((colleague) => ({ sub: colleague.local, email: emailOf(colleague), name: colleague.name })),
  });
}

/** Invites them: one by email, the others find the console by their accounts. */
export async function inviteColleagues(admin: Client): Promise<void> {
  for (const [i, colleague] of COLLEAGUES.entries())
    await admin.people.invite({ email: emailOf(colleague), name: colleague.name, grants: colleague.grants, send: i === 1 });
}
