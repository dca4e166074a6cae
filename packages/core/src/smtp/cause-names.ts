/** Every cause. Of rows whose words are found the first wins, so the more telling stand above. */
export const CAUSES = [
  'rate',
  'withheld-by-provider',
  'rate-or-greylist',
  'loop',
  'mailbox-full',
  'authentication',
  'policy',
  'reputation',
  'content',
  'too-large',
  'unroutable',
  'address-syntax',
  'domain-unknown',
  'mailbox-disabled',
  'mailbox-unknown',
  'unreachable',
  'expired',
  'system',
  'other',
] as const;
export type Cause = (typeof CAUSES)[number];
