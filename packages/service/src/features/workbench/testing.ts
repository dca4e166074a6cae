import type { MailPreview } from '@verbalis/core/preview';
import { isFault, parseAddress } from '@verbalis/core/mime';
import type { CaptureStore } from '../capture/index.js';
import type { Provider, ProviderProbe } from '../providers/index.js';
import { invalid, Refusal } from '../../kernel/index.js';

/** The box of captured mail, among what a test can be sent by. */
const TO_CAPTURED = 'captured';

/** Sends an email that somebody looks at: into the captured mail of the space, or through one provider. */
export function testSending(options: {
  readonly capturing: CaptureStore;
  readonly providers: ReadonlyMap<string, Provider>;
  readonly probe: ProviderProbe;
}) {
  const { capturing, providers, probe } = options;
  return {
    ways: (): string[] => [TO_CAPTURED, ...providers.keys()],
    send: async (
      space: string,
      mail: MailPreview,
      { to, by }: { readonly to: string; readonly by: string },
    ): Promise<{ detail: string; capturedId?: string }> => {
      const address = parseAddress(to);
      if (isFault(address)) throw invalid([{ path: 'to', message: address.fault, hint: address.hint }]);
      if (by === TO_CAPTURED) {
        const capturedId = await capturing.keep({ space, address: to, bytes: mail.source });
        return { detail: 'Captured: the page "Captured mail" shows it.', capturedId };
      }
      const provider = providers.get(by);
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
