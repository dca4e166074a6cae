import { addressText, isFault, parseMailbox } from '@verbalis/core/mime';
import { createRemoteJWKSet, errors, jwtVerify, type JWTPayload } from 'jose';
import { Refusal, type Clock } from '../../kernel/index.js';
import type { Identity } from '../spaces/index.js';

/** Signed by the issuer's private key: a secret that both know would let an app sign for its users. */
const ALGORITHMS = ['RS256', 'RS384', 'RS512', 'PS256', 'PS384', 'PS512', 'ES256', 'ES384', 'ES512', 'EdDSA', 'Ed25519'];
const TOLERANCE_SECONDS = 30;
const WAIT_MS = 5000;

function notValid(detail: string): Refusal {
  return new Refusal(401, 'identity-not-valid', 'This token does not prove who is signed in', { detail });
}

const CLAIMS: Readonly<Record<string, string>> = { iss: 'It is of another issuer.', aud: 'It is for another audience.' };

/** What is wrong with a token, in a sentence that gives nothing away. */
function detailOf(error: errors.JOSEError): string {
  if (error instanceof errors.JWTExpired) return 'It has expired.';
  if (error instanceof errors.JWTClaimValidationFailed) return CLAIMS[error.claim] ?? `Its "${error.claim}" is not valid.`;
  if (error instanceof errors.JWSSignatureVerificationFailed) return 'Its signature is not valid.';
  if (error instanceof errors.JWKSNoMatchingKey) return 'It is signed with no key of the issuer.';
  if (error instanceof errors.JOSEAlgNotAllowed || error instanceof errors.JOSENotSupported)
    return 'It is signed in a way that is not accepted.';
  return 'It is not a valid token.';
}

function addressIn(claims: JWTPayload, { emailClaim, verifiedClaim }: Identity): string {
  const { [emailClaim]: email, [verifiedClaim]: verified } = claims;
  if (typeof email !== 'string') throw notValid(`It has no "${emailClaim}".`);
  if (verified !== true && verified !== 'true') throw notValid(`Its address is not verified: "${verifiedClaim}" is not true.`);
  const mailbox = parseMailbox(email);
  // A display name would let a caller put its own words into emails to others.
  if (isFault(mailbox) || mailbox.name !== '') throw notValid(`Its "${emailClaim}" is not an address.`);
  return addressText(mailbox);
}

/**
 * Reads who is signed in from tokens of an issuer (JWT, RFC 7519; keys by RFC 7517). Its keys are kept for a while, and asked for again when a
 * token names one that is not among them.
 * @returns the verified address in a token @throws Refusal
 */
export function identityReader(identity: Identity, clock: Pick<Clock, 'now'>): (token: string) => Promise<string> {
  const keys = createRemoteJWKSet(new URL(identity.jwksUrl), { timeoutDuration: WAIT_MS });
  return async (token) => {
    let claims: JWTPayload;
    try {
      ({ payload: claims } = await jwtVerify(token, keys, {
        issuer: identity.issuer,
        audience: identity.audience,
        algorithms: ALGORITHMS,
        clockTolerance: TOLERANCE_SECONDS,
        currentDate: new Date(clock.now()),
        requiredClaims: ['exp'],
      }));
    } catch (error) {
      const isAway = error instanceof errors.JWKSTimeout || error instanceof errors.JWKSInvalid || !(error instanceof errors.JOSEError);
      if (isAway || error.code === 'ERR_JOSE_GENERIC')
        throw new Refusal(503, 'identity-unavailable', 'The keys of the issuer cannot be read now', {
          detail: `${identity.jwksUrl} gives none: ${error instanceof Error ? error.message : String(error)}.`,
          retryAfterSeconds: TOLERANCE_SECONDS,
        });
      throw notValid(detailOf(error));
    }
    return addressIn(claims, identity);
  };
}
