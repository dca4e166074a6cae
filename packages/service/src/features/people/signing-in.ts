import type { Request } from 'express';
import type { Logger } from 'pino';
import type * as z from 'zod';
import {
  completeAct,
  empty,
  endpointsOf,
  isLoopback,
  json,
  outsideActs,
  plainAddress,
  Refusal,
  sameSecret,
  smallJsonBody,
} from '../../kernel/index.js';
import { OPERATOR, refuseGuess, type Guesses, type SpaceSummaries } from '../keys/index.js';
import { actorOf, SESSION_COOKIE, sessionOf, signedOut, spacesOf } from './access.js';
import { emailOf } from './email.js';
import { refuseForeign } from './foreign.js';
import { grantIn, isOperator, showsContent } from './grants.js';
import { LINK_MINUTES, type Links } from './links.js';
import { AskForLink, LinkAsked, SessionView, SignIn, SignInLink, SignInWays } from './model.js';
import type { SessionRow } from './queries.js';
import { openSession, type SessionOptions } from './sessions.js';

export interface SignInEndpoints extends SessionOptions {
  readonly log: Logger;
  readonly spaces: SpaceSummaries;
  readonly operatorSecret: string;
  /** Wrong secrets, and links that were asked for, by the address that they come from. */
  readonly guesses: Guesses;
  readonly asks: Guesses;
  readonly links: Links;
  /** What the OpenID provider is called, where there is one. */
  readonly openidName: string | undefined;
}

const endpoint = endpointsOf<SignInEndpoints>();
/** What anybody can send is small, in bytes. */
const MOST_BYTES = 4096;

/** Where links lead. */
export function baseOf(request: Request, publicUrl: string | undefined): string {
  return publicUrl ?? `${request.protocol}://${request.host}`;
}

/**
 * Where a link leads that anybody can ask for: the host of a request is whatever its sender says, and a link to another host would give the
 * token away. Undefined where the service knows no address of its own.
 */
function safeBaseOf(request: Request, publicUrl: string | undefined): string | undefined {
  if (publicUrl !== undefined) return publicUrl;
  const host = request.host.replace(/:\d+$/, '').replace(/^\[|\]$/g, '');
  return host === 'localhost' || isLoopback(host) ? baseOf(request, undefined) : undefined;
}

function viewOf(session: Pick<SessionRow, 'personId'>, { store, spaces }: SignInEndpoints): z.input<typeof SessionView> {
  const person = session.personId === null ? undefined : store.people.find(session.personId);
  if (session.personId === null)
    return { spaces: [...spaces].map(([name, summary]) => ({ name, ...summary, role: 'operator', content: true })), operator: true };
  if (person === undefined) throw signedOut();
  const grants = store.people.grantsOf(person.id);
  const { id, email, name } = person;
  return {
    spaces: spacesOf(spaces, grants).flatMap((space) => {
      const [summary, grant] = [spaces.get(space), grantIn(grants, space)];
      if (summary === undefined || grant === undefined) return [];
      return [{ name: space, ...summary, role: grant.role, content: showsContent(grant) }];
    }),
    operator: isOperator(grants),
    person: { id, email, name },
  };
}

function usedLink(): Refusal {
  return new Refusal(401, 'sign-in', 'This sign-in link has been used or is too old', { hint: 'Ask for a new one.' });
}

const signIn = endpoint({
  name: 'session.signIn',
  method: 'post',
  path: '/console/session',
  summary: 'Sign in to the console: the operator’s secret or the token of a link for a cookie that no script can read',
  scope: 'open',
  audited: 'change',
  body: smallJsonBody(SignIn, MOST_BYTES),
  answers: { 200: json('Signed in.', SessionView) },
  refusals: {
    401: 'The secret or the token is wrong.',
    403: 'The request does not come from the console.',
    429: 'Too many wrong sign-ins.',
  },
  async run({ request, response, body: { secret, token } }, deps) {
    const { store, clock, operatorSecret, publicUrl, guesses } = deps;
    refuseForeign(request, publicUrl);
    const address = plainAddress(request.ip ?? '');
    refuseGuess(guesses, address, clock);
    const link = token === undefined ? undefined : store.people.opened('link', token, clock.now());
    const isGood = token === undefined ? sameSecret(secret ?? '', operatorSecret) : link !== undefined;
    if (!isGood) {
      guesses.wrong(address, clock.elapsed());
      if (token !== undefined) throw usedLink();
      throw new Refusal(401, 'sign-in', 'This is not the operator’s secret', {
        hint: 'It is in the secrets file of the service (verbalis.secrets.json).',
      });
    }
    guesses.right(address);
    const personId = link?.personId ?? null;
    const person = personId === null ? undefined : store.people.find(personId);
    if (personId !== null && person === undefined) throw usedLink();
    await openSession(
      deps,
      { request, response },
      {
        person,
        way: link === undefined ? 'secret' : 'link',
        also: (tx) => {
          // A link opens one session only, however many ask with it at once.
          if (link !== undefined && !store.people.close(tx, link.id)) throw usedLink();
          // Others that were sent have served their purpose.
          if (person !== undefined && link !== undefined) store.people.closeLinksOf(tx, person.id);
        },
      },
    );
    return viewOf({ personId }, deps);
  },
});

const getSession = endpoint({
  name: 'session.get',
  method: 'get',
  path: '/console/session',
  summary: 'Who is signed in, and the spaces that they may see',
  scope: 'open',
  answers: { 200: json('Signed in.', SessionView) },
  refusals: { 401: 'Signed out.' },
  run({ request }, deps) {
    const session = sessionOf(request, deps);
    if (session === undefined) throw new Refusal(401, 'signed-out', 'You are not signed in');
    return viewOf(session, deps);
  },
});

const signOut = endpoint({
  name: 'session.signOut',
  method: 'delete',
  path: '/console/session',
  summary: 'Sign out',
  scope: 'open',
  audited: 'change',
  answers: { 204: empty('Signed out.') },
  refusals: { 403: 'The request does not come from the console.' },
  async run({ request, response }, deps) {
    const { store, publicUrl } = deps;
    refuseForeign(request, publicUrl);
    const session = sessionOf(request, deps);
    const person = session?.personId === null || session === undefined ? undefined : store.people.find(session.personId);
    completeAct({ actor: person === undefined ? OPERATOR : actorOf(person), target: session?.id });
    await store.write((tx) => {
      if (session !== undefined) store.people.close(tx, session.id);
    });
    response.clearCookie(SESSION_COOKIE, { path: '/' });
    return undefined;
  },
});

const ways = endpoint({
  name: 'session.ways',
  method: 'get',
  path: '/console/sign-in',
  summary: 'How people can sign in here',
  scope: 'open',
  answers: { 200: json('The ways to sign in, besides the operator’s secret.', SignInWays) },
  refusals: { 404: 'The service does not answer to this host name.' },
  run: ({ request }, { links, openidName, publicUrl }) => ({
    links: links.space !== undefined && safeBaseOf(request, publicUrl) !== undefined,
    openid: openidName,
  }),
});

const ask = endpoint({
  name: 'session.ask',
  method: 'post',
  path: '/console/sign-in-links',
  summary: 'Have a link sent to your address that opens the console',
  description: 'The answer is the same whether the address is known or not.',
  scope: 'open',
  body: smallJsonBody(AskForLink, MOST_BYTES),
  answers: { 202: json('If the address is known, the email is on its way.', LinkAsked) },
  refusals: {
    403: 'The request does not come from the console.',
    409: 'No space can send it, or the service does not know its own address.',
    429: 'Too many links were asked for.',
  },
  run({ request, body: { email } }, deps) {
    const { store, clock, publicUrl, asks, links, log } = deps;
    refuseForeign(request, publicUrl);
    if (links.space === undefined)
      throw new Refusal(409, 'no-sending-space', 'No space can send a link', {
        hint: 'Sign in with the operator’s secret, or ask an operator for a link: verbalis people invite EMAIL --link.',
      });
    const base = safeBaseOf(request, publicUrl);
    if (base === undefined)
      throw new Refusal(409, 'no-public-url', 'The service does not know its own address', { hint: 'Set publicUrl in verbalis.yaml.' });
    const address = plainAddress(request.ip ?? '');
    refuseGuess(asks, address, clock);
    asks.wrong(address, clock.elapsed());
    const person = store.people.byEmail(emailOf(email).email);
    // Nobody waits for it: how long it takes would tell whether the address is known.
    if (person !== undefined && !links.wasSent(person))
      outsideActs(() => {
        setImmediate(() => {
          links.make(person, { kind: 'sign-in', base, by: '', isSent: true }).catch((error: unknown) => {
            log.error({ err: error, person: person.id }, 'a link to sign in could not be sent');
          });
        });
      });
    return { minutes: LINK_MINUTES };
  },
});

const link = endpoint({
  name: 'session.link',
  method: 'post',
  path: '/v1/sign-in-links',
  summary: 'Make a link that opens the console, once and for 15 minutes',
  scope: 'operator',
  isForService: true,
  answers: { 201: json('It signs in everybody who has it.', SignInLink) },
  run: async ({ caller: { actor }, request }, deps) => {
    const base = baseOf(request, deps.publicUrl);
    const person = actor.kind === 'person' && actor.id !== undefined ? deps.store.people.find(actor.id) : undefined;
    if (person === undefined) return { url: await deps.links.forOperator(base) };
    return { url: (await deps.links.make(person, { kind: 'sign-in', base, by: '', isSent: false })).url };
  },
});

/** How people sign in and out. */
export const signInEndpoints = [link, signIn, getSession, signOut, ways, ask];
