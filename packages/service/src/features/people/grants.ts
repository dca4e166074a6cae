import { EVERY_SCOPE, type Scope } from '../../kernel/index.js';
import type { Grant } from './queries.js';
import type { Role } from './tables.js';

/** Stands for every space, also those that are added later. */
export const EVERY_SPACE = '*';

/** What a role allows in its space. */
const SCOPES_OF: Readonly<Record<Role, ReadonlySet<Scope>>> = {
  viewer: new Set(['read']),
  member: new Set(['signals', 'send', 'read', 'write']),
  operator: EVERY_SCOPE,
};
const RANK: Readonly<Record<Role, number>> = { viewer: 0, member: 1, operator: 2 };

export function scopesOf(role: Role): ReadonlySet<Scope> {
  return SCOPES_OF[role];
}

/** Whether someone with these grants administers the service. */
export function isOperator(grants: ReadonlyMap<string, Grant>): boolean {
  return grants.get(EVERY_SPACE)?.role === 'operator';
}

/** What someone may do in a space: the more of what is granted for it and for every space. */
export function grantIn(grants: ReadonlyMap<string, Grant>, space: string): Grant | undefined {
  const [own, everywhere] = [grants.get(space), grants.get(EVERY_SPACE)];
  if (own === undefined || everywhere === undefined) return own ?? everywhere;
  const role = RANK[own.role] >= RANK[everywhere.role] ? own.role : everywhere.role;
  return { role, content: own.content || everywhere.content };
}

/** Whether a grant shows what emails say. */
export function showsContent({ role, content }: Grant): boolean {
  return role !== 'viewer' || content;
}
