import type { MailPreview } from '@verbalis/core/preview';
import { isFault, parseAddress } from '@verbalis/core/mime';
import type { CaptureStore } from '../capture/index.js';
import type { Provider, ProviderProbe } from '../providers/index.js';
import { invalid, Refusal, requireScope, type Caller } from '../../kernel/index.js';

/** The box of captured mail, among what a test can be sent by. */
const TO_CAPTURED = 'captured';

/** @throws Refusal where a key is bound to what it may send */
function refuseBounded({ key }: Caller): void {
  if (Object.entries(key?.bounds ?? {}).every(([name, bound]) => name === 'usedFrom' || bound === undefined)) return;
  throw new Refusal(403, 'beyond-key', 'This key may not send tests', {
    detail: 'It is bound to what it may send, and a test may be anything.',
    hint: 'Send it to "captured", or use a key without bounds.',
  });
}

/** Sends a test of an email: to the captured mail of the space, or through one provider. */
export function testSending(options: {
  readonly capturing: CaptureStore;
  readonly providers: ReadonlyMap<string, Provider>;
  readonly probe: ProviderProbe;
  /** The providers that a space sends through. */
  readonly routeOf: (space: string) => readonly string[];
}) {
  const { capturing, providers, probe, routeOf } = options;
  const ways = ({ operator, space }: Caller): string[] => [TO_CAPTURED, ...(operator ? providers.keys() : routeOf(space))];
  return {
    ways,
    send: async (
      caller: Caller,
      mail: MailPreview,
      { to, by }: { readonly to: string; readonly by: string },
    ): Promise<{ detail: string; capturedId?: string }> => {
      const address = parseAddress(to);
      if (isFault(address)) throw invalid([{ path: 'to', message: address.fault, hint: address.hint }]);
      const { space } = caller;
      if (by === TO_CAPTURED) {
        const capturedId = await capturing.keep({ space, address: to, bytes: mail.source });
        return { detail: 'Captured: the page "Captured mail" shows it.', capturedId };
      }
      // A test may contain anything and is not counted; those who may not change templates send messages instead.
      requireScope(caller, 'write');
      refuseBounded(caller);
      const provider = ways(caller).includes(by) ? providers.get(by) : undefined;
      if (provider === undefined) throw invalid([{ path: 'by', message: `names no provider: "${by}"`, hint: undefined }]);
      const { kind, detail } = await probe(provider, space, to, { subject: mail.subject, text: mail.text, html: mail.htmlSource });
      if (kind !== 'accepted')
        throw new Refusal(502, 'not-accepted', `${by} did not accept the test`, {
          detail,
          hint: `verbalis providers test ${by} tests it step by step.`,
        });
      return { detail: `${by} accepted it: ${detail}` };
    },
  };
}
