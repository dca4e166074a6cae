import { parseCookie } from 'cookie';
import type { Request } from 'express';
import { plainAddress, Refusal, type Access, type AccessNeeds, type Actor, type Caller, type Clock } from '../../kernel/index.js';
import { namedSpace, OPERATOR, operatorCaller, type BearerAccess, type SpaceSummaries } from '../keys/index.js';
import { refuseForeign } from './foreign.js';
import { grantIn, isOperator, scopesOf, showsContent } from './grants.js';
import type { Grant, PersonRow, SessionRow } from './queries.js';
import type { NoteSeen } from './seen.js';
import type { Store } from './store.js';

export interface PeopleAccessOptions {
  readonly store: Store;
  readonly clock: Clock;
  readonly bearer: BearerAccess;
  readonly noteSeen: NoteSeen;
  /** The address under which people reach the console. */
  readonly publicUrl: string | undefined;
  readonly spaces: SpaceSummaries;
}

export const SESSION_COOKIE = 'verbalis_session';

/** The secret of the session that a request's cookie names. */
function sessionSecret(request: Request): string | undefined {
  return parseCookie(request.headers.cookie ?? '')[SESSION_COOKIE];
}

/** A person as those read it who look up what was done. */
export function actorOf({ id, email }: Pick<PersonRow, 'id' | 'email'>): Actor {
  return { kind: 'person', id, name: email };
}

/** The session that a request comes with. */
export function sessionOf(request: Request, { store, clock }: Pick<PeopleAccessOptions, 'store' | 'clock'>): SessionRow | undefined {
  const secret = sessionSecret(request);
  return secret === undefined ? undefined : store.people.opened('session', secret, clock.now());
}

/** The spaces of someone who does not administer the service, in the order of the configuration. */
export function spacesOf(spaces: SpaceSummaries, grants: ReadonlyMap<string, Grant>): string[] {
  return [...spaces.keys()].filter((space) => grantIn(grants, space) !== undefined);
}

/** @throws Refusal 400, 403 or 404 */
function personCaller(
  request: Request,
  { isForService }: AccessNeeds,
  {
    spaces,
    person,
    grants,
    isStillGood,
  }: { spaces: SpaceSummaries; person: PersonRow; grants: ReadonlyMap<string, Grant> } & Pick<Caller, 'isStillGood'>,
): Caller {
  const actor = actorOf(person);
  if (isOperator(grants)) return operatorCaller(request, { isForService }, { spaces, actor, isStillGood });
  const own = spacesOf(spaces, grants);
  const [first, ...others] = own;
  if (first === undefined)
    throw new Refusal(403, 'no-role', 'You have no role in any space', { hint: 'An operator can give you one: verbalis people role.' });
  const space = namedSpace(request) ?? (others.length === 0 || isForService ? first : undefined);
  if (space === undefined)
    throw new Refusal(400, 'no-space', 'This request names no space', {
      hint: `Name one in the header field Verbalis-Space: ${own.join(', ')}.`,
    });
  const grant = spaces.has(space) ? grantIn(grants, space) : undefined;
  // Whether there is such a space is nobody's business who has no role in it.
  if (grant === undefined)
    throw new Refusal(404, 'unknown-space', 'There is no such space', {
      detail: `You have no role in a space "${space}".`,
      hint: `Your spaces: ${own.join(', ')}.`,
    });
  return { space, scopes: scopesOf(grant.role), operator: false, actor, readsContent: showsContent(grant), isStillGood };
}

/** Finds out who makes a request: a key of a space, who has the operator's secret, or a session of the console. */
export function accessBy({ store, clock, spaces, publicUrl, bearer, noteSeen }: PeopleAccessOptions): Access {
  function callerOf(request: Request, session: SessionRow, needs: AccessNeeds): Caller {
    const isOpen = (): boolean => store.people.session(session.id, clock.now()) !== undefined;
    const { personId } = session;
    if (personId === null) return operatorCaller(request, needs, { spaces, actor: OPERATOR, isStillGood: isOpen });
    const person = store.people.find(personId);
    if (person === undefined) throw signedOut();
    const caller = personCaller(request, needs, { spaces, person, grants: store.people.grantsOf(personId) });
    // What a stream shows may be shown for as long as the same role would be given.
    const isStillGood = (): boolean => {
      if (!isOpen()) return false;
      const grants = store.people.grantsOf(personId);
      if (caller.operator || isOperator(grants)) return isOperator(grants);
      const grant = grantIn(grants, caller.space);
      return grant !== undefined && (!caller.readsContent || showsContent(grant));
    };
    return { ...caller, isStillGood };
  }

  return (request, needs) => {
    const secret = /^Bearer\s+(\S+)$/i.exec(request.header('authorization') ?? '')?.[1];
    if (secret !== undefined) return bearer(request, secret, needs);
    const session = sessionOf(request, { store, clock });
    if (session !== undefined) {
      refuseForeign(request, publicUrl);
      const caller = callerOf(request, session, needs);
      noteSeen(session, plainAddress(request.ip ?? ''));
      return caller;
    }
    if (sessionSecret(request) !== undefined) throw signedOut();
    throw new Refusal(401, 'no-key', 'A key is needed', {
      hint: 'Send it as "Authorization: Bearer KEY"; make one with: verbalis keys add NAME.',
    });
  };
}

/** @returns the refusal of a session that has ended */
export function signedOut(): Refusal {
  return new Refusal(401, 'signed-out', 'Your session has ended', { hint: 'Sign in again.' });
}
