import { fieldOf, type Part } from '../mime/index.js';

/** What an email that came back is, where it is no report of a standard. */

const AUTO_SUBJECT =
  /^\s*(?:auto(?:matic|matisch\w*|mated)?[ -]?(?:reply|response|antwort|svar|generated)|automatische? (?:antwort|reactie)|réponse automatique|respuesta automática|risposta automatica|resposta automática|autosvar|autoreply|auto:|out of (?:the )?office|out-of-office|away from|vacation|on (?:annual )?leave|abwesenheit|absence|absent|fuera de (?:la )?oficina|ausente|fuori (?:sede|ufficio)|afwezig|poissa|frånvar|автоответ|自動返信|自动回复|自動回覆|不在)/i;
const CHALLENGE =
  /(?:confirm|verify) (?:that you are|you are|your (?:message|email|e-mail|address))|challenge|to (?:have|get) your (?:message|mail|e-mail) delivered|held (?:until|pending) (?:you|your)|prove (?:that )?you|not a (?:robot|spammer)|request for (?:confirmation|authorization)|please (?:click|reply to this).{0,80}(?:deliver|release)|sender verification/i;
const AWAY =
  /(?:i am|i'm|i will be) (?:currently |presently )?(?:out of|away|on (?:vacation|holiday|leave))|out of (?:the )?office|thank you for (?:your|contacting|writing|getting)|this is an auto(?:matic|mated)|limited access to (?:my )?e-?mail|bin (?:ich )?(?:derzeit |zur ?zeit )?(?:nicht|abwesend|im urlaub)|je suis (?:actuellement )?(?:absent|en congé)|estoy (?:fuera|de vacaciones)|will (?:get back|respond|reply) (?:to you )?(?:as soon|when|upon)/i;

const DAEMON =
  /^(?:mailer-?daemon|mail-?daemon|postmaster|mail-?delivery|mdaemon|double-bounce|mail(?:er)?system|bounce[a-z-]*|maildelivery|delivery-?(?:status|system|failure)|mailerdaemon|autobounce|ndr)\b/i;
const DAEMON_NAME =
  /mail delivery|delivery (?:sub)?system|mailer[ -]?daemon|postmaster|mail administrator|mail system|mail router|delivery status|returned mail|undeliver/i;
const BOUNCE_SUBJECT =
  /undeliver|un-?deliverable|returned (?:mail|to sender|message)|deliver(?:y|ing)? (?:status|fail|problem|report|error|delay|notification|has failed|incomplete|attempt)|failure (?:notice|notification|delivery)|mail (?:delivery|system error|failure|could not|not delivered)|message (?:not delivered|undelivered|could not|delivery|status|bounced|delayed|rejected)|could ?n[o']t be delivered|non[- ]?deliver|nondeliver|not delivered|delivery (?:of|to) .{1,120}(?:failed|delayed)|bounced|rejected|address not found|warning: (?:message|could not|mail)|delayed mail|unzustellbar|zustell(?:ung|fehler|bericht)|nicht zugestellt|non remis|non distribu|échec|remise|no (?:se )?(?:pudo|ha podido)|no entregado|mancat[ao] (?:consegna|recapito)|não (?:entregue|foi)|niet (?:bezorgd|afgeleverd)|onbestelbaar|olevererat|niedostarcz|nie dostarcz|не доставлен|недостав|配信|送信(?:できません|失敗)|退信|未送達|投递|无法投递/i;

function raw(mail: Part, name: string): string {
  return fieldOf(mail, name)?.trim() ?? '';
}

/** Signs that an email was written by a delivery system about a delivery, from 0 up; 4 and more are enough. */
export function bounceScore(
  mail: Part,
  { tellsFate, quotesReply }: { readonly tellsFate: boolean; readonly quotesReply: boolean },
): number {
  const from = raw(mail, 'from');
  const local = /([^\s<>"@,;:]{1,64})@/.exec(from)?.[1] ?? from;
  let score = 0;
  if (DAEMON.test(local.replace(/^"/, ''))) score += 2;
  else if (DAEMON_NAME.test(from)) score += 2;
  if (/^<\s*>$/.test(raw(mail, 'return-path')) || raw(mail, 'x-failed-recipients') !== '') score += 2;
  if (BOUNCE_SUBJECT.test(raw(mail, 'subject'))) score += 2;
  if (/^multipart\/report/i.test(mail.type)) score += 1;
  if (tellsFate) score += 1;
  if (quotesReply) score += 2;
  if (isAutoReply(mail, '')) score -= 3;
  if (/^\s*(?:re|aw|sv|antw|vs|fwd?|wg|tr|rv|i|r)\s*:/i.test(raw(mail, 'subject'))) score -= 3;
  if (raw(mail, 'list-id') !== '' || raw(mail, 'list-unsubscribe') !== '') score -= 2;
  return score;
}

/** An answer that no person wrote (RFC 3834, and the marks that came before it); a request to prove that the sender is a person is one too. */
export function isAutoReply(mail: Part, text: string): boolean {
  const submitted = raw(mail, 'auto-submitted').toLowerCase();
  const marked =
    raw(mail, 'x-autoreply') !== '' ||
    raw(mail, 'x-autorespond') !== '' ||
    raw(mail, 'x-auto-reply') !== '' ||
    raw(mail, 'x-autoreply-from') !== '' ||
    /auto_reply|auto-reply/i.test(raw(mail, 'precedence')) ||
    /auto_?reply|out of office|vacation/i.test(raw(mail, 'x-mailer'));
  if (marked || AUTO_SUBJECT.test(raw(mail, 'subject'))) return true;
  if (text === '') return false;
  const start = text.slice(0, 4000);
  if (submitted !== '' && !submitted.startsWith('no'))
    return submitted.startsWith('auto-replied') || AWAY.test(start) || CHALLENGE.test(start);
  const machine = /^(?:no-?reply|do-?not-?reply|auto|vacation)/i.test(/([^\s<>"@,;:]{1,64})@/.exec(raw(mail, 'from'))?.[1] ?? '');
  const bulk = /bulk|junk/i.test(raw(mail, 'precedence')) || /^<\s*>$/.test(raw(mail, 'return-path'));
  return (bulk || machine) && (AWAY.test(start) || CHALLENGE.test(start) || CHALLENGE.test(raw(mail, 'subject')));
}
