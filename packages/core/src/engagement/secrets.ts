/** Names of parameters that hold what only the recipient may know. */
const SECRET_NAME =
  /^(?:[a-z0-9]+[-_.])*(?:token|code|otp|pin|secret|key|apikey|sig|signature|auth|authorization|password|passwd|pass|pwd|jwt|ticket|session|sid|nonce|magic|invite|invitation|confirm|confirmation|reset|verify|verification|hash|hmac|mac|credential|credentials|state|otk|otc)$/i;
/** Parts of a path after which comes what only the recipient may know. */
const SECRET_PLACE =
  /^(?:confirm|confirmation|verify|verification|validate|activate|activation|reset|reset-password|password|password-reset|set-password|login|log-in|signin|sign-in|signup|sign-up|auth|oauth|sso|magic|magic-link|otp|invite|invitation|invitations|invites|accept|token|tokens|unsubscribe|unlock|recover|recovery|session)$/i;
const UUID = /^[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;

const unescaped = (text: string): string => {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
};

/** Whether a text was made by chance and by nobody: long, and letters and digits without a system. */
function isRandom(text: string): boolean {
  if (UUID.test(text)) return false;
  // A signed token in three parts (RFC 7519).
  if (/^eyJ[\w-]{5,}\.[\w-]*\.[\w-]*$/.test(text)) return true;
  if (/^[0-9a-f]{24,}$/i.test(text)) return /[a-f]/i.test(text) && /\d/.test(text);
  return (text.match(/[\w-]{20,}={0,2}/g) ?? []).some((part) => {
    if (UUID.test(part) || !/\d/.test(part)) return false;
    const changes = part.match(/[a-z](?=[A-Z\d])|[A-Z](?=\d)|\d(?=[A-Za-z])/g)?.length ?? 0;
    // Words with a number between hyphens change from one kind to another seldom.
    return changes >= part.length / 6;
  });
}

/**
 * Why an address holds a secret, as links to sign in or to confirm something do: only the recipient and the target may see it.
 * @returns undefined where nothing looks like one
 */
export function secretIn(url: URL): string | undefined {
  if (url.username !== '' || url.password !== '') return 'its address holds a user name or password';
  const fragment = url.hash.includes('=') ? new URLSearchParams(url.hash.slice(1)) : [];
  for (const [name, value] of [...url.searchParams, ...fragment]) {
    if (SECRET_NAME.test(name.replace(/(?<=[a-z])(?=[A-Z])/g, '_'))) return `its parameter "${name.slice(0, 40)}" may hold a secret`;
    if (isRandom(value)) return `its parameter "${name.slice(0, 40)}" looks like a secret`;
  }
  if (!url.hash.includes('=') && isRandom(unescaped(url.hash.slice(1)))) return 'its fragment looks like a secret';
  const segments = url.pathname.split('/').filter(Boolean).map(unescaped);
  for (const [i, segment] of segments.entries()) {
    if (isRandom(segment)) return 'its path looks as if it held a secret';
    if (i > 0 && SECRET_PLACE.test(segments[i - 1] ?? '') && /\d/.test(segment) && segment.length >= 6)
      return `what comes after "${segments[i - 1] ?? ''}" in its path may be a secret`;
  }
  return undefined;
}
