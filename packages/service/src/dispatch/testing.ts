import type { MailPreview } from '@verbalis/core/preview';
import { isFault, parseAddress } from '@verbalis/core/mime';
import type { CaptureDesk } from '../capture/index.js';
import type { Provider } from '../providers/index.js';
import { invalid, Refusal } from '../refusal.js';
import type { ProviderTrial } from './trial.js';

/** The box of captured mail, among what a test can be sent by. */
export const TO_CAPTURED = 'captured';

/** Sends a mail that somebody looks at: into the captured mail of the space, or through one provider. */
export function testSending(options: {
  readonly capturing: CaptureDesk;
  readonly providers: ReadonlyMap<string, Provider>;
  readonly tryProvider: ProviderTrial;
}) {
  const { capturing, providers, tryProvider } = options;
  return {
    ways: (): string[] => [TO_CAPTURED, ...providers.keys()],
    send: async (space: string, mail: MailPreview, to: string, by: string): Promise<{ detail: string; capturedId?: string }> => {
      const address = parseAddress(to);
      if (isFault(address)) throw invalid([{ path: 'to', message: address.fault, hint: address.hint }]);
      if (by === TO_CAPTURED) {
        const capturedId = await capturing.keep({ space, address: to, bytes: mail.source });
        return { detail: 'Captured: it stands in the step Try.', capturedId };
      }
      const provider = providers.get(by);
      if (provider === undefined) throw invalid([{ path: 'by', message: `names no provider: "${by}"`, hint: undefined }]);
      const { kind, detail } = await tryProvider(provider, space, to, { subject: mail.subject, text: mail.text, html: mail.htmlSource });
      if (kind !== 'accepted')
        throw new Refusal(502, 'not-taken', `${by} did not take the test`, {
          detail,
          hint: `verbalis providers test ${by} looks into it.`,
        });
      return { detail: `${by} took it: ${detail}` };
    },
  };
}
