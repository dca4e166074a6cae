/**
 * What mail readers write around what they quote, by language. A language is one row: to add one, add a row. All words are in small letters and
 * compared as a whole; none is a pattern.
 */
export interface ReaderWords {
  /** BCP 47. */
  readonly language: string;
  /** How the line begins that introduces a quote: "On Tuesday … wrote:". */
  readonly starts: readonly string[];
  /** A word of that line that is in no other. */
  readonly wrote: readonly string[];
  /** Labels of header fields that are quoted in a text. */
  readonly from: readonly string[];
  readonly date: readonly string[];
  readonly to: readonly string[];
  readonly subject: readonly string[];
  /** Between dashes, above an email that is answered or passed on. */
  readonly dividers: readonly string[];
  /** How a line begins that a device adds below. */
  readonly sentFrom: readonly string[];
  /** Replies that consist of nothing but the wish for no more emails. */
  readonly leave: readonly string[];
}

const READER_WORDS: readonly ReaderWords[] = [
  {
    language: 'en',
    starts: ['on', 'at', 'quoting'],
    wrote: ['wrote', 'writes', 'said', 'wrote the following'],
    from: ['from'],
    date: ['date', 'sent'],
    to: ['to', 'cc'],
    subject: ['subject'],
    dividers: ['original message', 'forwarded message', 'original appointment', 'begin forwarded message', 'reply message', 'forwarded by'],
    sentFrom: ['sent from my', 'sent from outlook', 'sent with', 'get outlook for'],
    leave: ['unsubscribe', 'stop', 'unsubscribe me', 'please unsubscribe', 'please unsubscribe me', 'remove me', 'opt out', 'stop all'],
  },
  {
    language: 'de',
    starts: ['am', 'vom'],
    wrote: ['schrieb', 'hat geschrieben', 'schreibt', 'geschrieben'],
    from: ['von'],
    date: ['datum', 'gesendet', 'gesendet am'],
    to: ['an', 'cc', 'kopie'],
    subject: ['betreff', 'betr'],
    dividers: [
      'ursprüngliche nachricht',
      'originalnachricht',
      'ursprüngliche e-mail',
      'weitergeleitete nachricht',
      'anfang der weitergeleiteten nachricht',
    ],
    sentFrom: ['von meinem', 'gesendet von', 'gesendet mit', 'diese nachricht wurde von meinem'],
    leave: ['abmelden', 'abbestellen', 'austragen', 'bitte abmelden', 'keine e-mails mehr', 'stopp'],
  },
  {
    language: 'fr',
    starts: ['le', 'en date du'],
    wrote: ['a écrit', 'écrit', 'écrivait', 'a ecrit'],
    from: ['de'],
    date: ['date', 'envoyé', 'envoyé le'],
    to: ['à', 'cc', 'pour'],
    subject: ['objet', 'sujet'],
    dividers: [
      "message d'origine",
      'message d’origine',
      'message original',
      'message transféré',
      'début du message transféré',
      'message réexpédié',
    ],
    sentFrom: ['envoyé de mon', 'envoyé depuis', 'envoyé à partir', 'envoyé avec'],
    leave: ['désabonner', 'se désabonner', 'désinscription', 'me désinscrire', 'désabonnement', 'désinscrire'],
  },
  {
    language: 'es',
    starts: ['el', 'en'],
    wrote: ['escribió', 'escribio', 'escribía'],
    from: ['de'],
    date: ['fecha', 'enviado', 'enviado el'],
    to: ['para', 'cc'],
    subject: ['asunto'],
    dividers: ['mensaje original', 'mensaje reenviado', 'inicio del mensaje reenviado'],
    sentFrom: ['enviado desde', 'enviado con'],
    leave: ['darme de baja', 'baja', 'cancelar suscripción', 'dar de baja'],
  },
  {
    language: 'pt',
    starts: ['em', 'a', 'no dia'],
    wrote: ['escreveu', 'escreveram', 'escrevia'],
    from: ['de'],
    date: ['data', 'enviado', 'enviada em', 'enviada'],
    to: ['para', 'cc'],
    subject: ['assunto'],
    dividers: ['mensagem original', 'mensagem encaminhada', 'mensagem reencaminhada', 'início da mensagem encaminhada'],
    sentFrom: ['enviado do meu', 'enviado do', 'enviado a partir', 'enviado de'],
    leave: ['cancelar inscrição', 'descadastrar', 'cancelar', 'cancelar subscrição', 'remover'],
  },
  {
    language: 'it',
    starts: ['il', 'in data', 'il giorno'],
    wrote: ['ha scritto', 'scrive', 'scriveva', 'ha scritto quanto segue'],
    from: ['da'],
    date: ['data', 'inviato', 'inviata'],
    to: ['a', 'cc'],
    subject: ['oggetto'],
    dividers: ['messaggio originale', 'messaggio inoltrato', 'inizio messaggio inoltrato', 'messaggio originario'],
    sentFrom: ['inviato da', 'inviato dal', 'inviato con'],
    leave: ['cancellami', 'disiscrivimi', 'disiscrizione', 'annulla iscrizione', 'cancellazione'],
  },
  {
    language: 'nl',
    starts: ['op', 'van'],
    wrote: ['schreef', 'heeft geschreven', 'schrijft', 'het volgende geschreven'],
    from: ['van'],
    date: ['datum', 'verzonden'],
    to: ['aan', 'cc'],
    subject: ['onderwerp'],
    dividers: ['oorspronkelijk bericht', 'doorgestuurd bericht', 'origineel bericht', 'begin doorgestuurd bericht'],
    sentFrom: ['verstuurd vanaf', 'verzonden vanaf', 'verstuurd met', 'verzonden met'],
    leave: ['afmelden', 'uitschrijven', 'afmelden graag', 'schrijf mij uit'],
  },
  {
    language: 'pl',
    starts: ['w dniu', 'dnia', 'pon', 'wt', 'śr', 'czw', 'pt', 'sob', 'niedz'],
    wrote: ['napisał', 'napisała', 'napisał(a)', 'pisze', 'napisano'],
    from: ['od', 'nadawca'],
    date: ['data', 'wysłano', 'wysłane'],
    to: ['do', 'dw', 'adresat'],
    subject: ['temat'],
    dividers: ['wiadomość oryginalna', 'oryginalna wiadomość', 'przekazana wiadomość', 'treść przekazanej wiadomości'],
    sentFrom: ['wysłane z', 'wysłano z'],
    leave: ['wypisz mnie', 'wypisz', 'rezygnuję', 'anuluj subskrypcję'],
  },
  {
    language: 'sv',
    starts: ['den', 'på'],
    wrote: ['skrev', 'har skrivit'],
    from: ['från'],
    date: ['datum', 'skickat'],
    to: ['till', 'kopia'],
    subject: ['ämne'],
    dividers: ['ursprungligt meddelande', 'vidarebefordrat meddelande', 'originalmeddelande'],
    sentFrom: ['skickat från', 'skickades från'],
    leave: ['avsluta', 'avprenumerera', 'avregistrera'],
  },
  {
    language: 'da',
    starts: ['den', 'd'],
    wrote: ['skrev', 'har skrevet'],
    from: ['fra'],
    date: ['dato', 'sendt'],
    to: ['til', 'cc'],
    subject: ['emne'],
    dividers: ['oprindelig meddelelse', 'videresendt meddelelse', 'videresendt besked', 'opprinnelig melding', 'videresendt melding'],
    sentFrom: ['sendt fra min', 'sendt fra'],
    leave: ['afmeld', 'afmelding', 'avmeld'],
  },
  {
    language: 'is',
    starts: ['þann', 'hinn', 'á'],
    wrote: ['skrifaði', 'skrifar'],
    from: ['frá'],
    date: ['dagsetning', 'sent'],
    to: ['til', 'afrit'],
    subject: ['efni'],
    dividers: ['upprunaleg skilaboð', 'upphaflegt skeyti', 'áframsend skilaboð'],
    sentFrom: ['sent úr'],
    leave: ['afskrá', 'segja upp áskrift'],
  },
  {
    language: 'fi',
    starts: ['ma', 'ti', 'ke', 'to', 'pe', 'la', 'su'],
    wrote: ['kirjoitti', 'kirjoittaa'],
    from: ['lähettäjä'],
    date: ['päivämäärä', 'lähetetty', 'päiväys'],
    to: ['vastaanottaja', 'kopio'],
    subject: ['aihe'],
    dividers: ['alkuperäinen viesti', 'välitetty viesti', 'edelleenlähetetty viesti'],
    sentFrom: ['lähetetty'],
    leave: ['peruuta tilaus', 'peru tilaus'],
  },
  {
    language: 'cs',
    starts: ['dne', 'ne', 'po', 'út', 'st', 'čt', 'pá', 'so'],
    wrote: ['napsal', 'napsala', 'napsal(a)', 'píše'],
    from: ['od'],
    date: ['datum', 'odesláno'],
    to: ['komu', 'kopie'],
    subject: ['předmět'],
    dividers: ['původní zpráva', 'přeposlaná zpráva', 'původní e-mail'],
    sentFrom: ['odesláno z'],
    leave: ['odhlásit', 'odhlásit odběr'],
  },
  {
    language: 'ru',
    starts: ['вт', 'пн', 'ср', 'чт', 'пт', 'сб', 'вс'],
    wrote: ['пишет', 'написал', 'написала', 'написал(а)', 'писал'],
    from: ['от', 'от кого'],
    date: ['дата', 'отправлено'],
    to: ['кому', 'копия'],
    subject: ['тема'],
    dividers: ['исходное сообщение', 'пересылаемое сообщение', 'пересланное сообщение', 'конец пересылаемого сообщения'],
    sentFrom: ['отправлено с', 'отправлено из'],
    leave: ['отписаться', 'отпишите меня', 'отписка'],
  },
  {
    language: 'tr',
    starts: ['tarihinde'],
    wrote: ['şunu yazdı', 'yazdı', 'tarihinde yazdı'],
    from: ['kimden', 'gönderen'],
    date: ['tarih', 'gönderildi', 'gönderme tarihi'],
    to: ['kime', 'alıcı', 'bilgi'],
    subject: ['konu'],
    dividers: ['özgün ileti', 'orijinal mesaj', 'iletilen ileti', 'iletilmiş mesaj'],
    sentFrom: ['mobil cihazımdan gönderildi'],
    leave: ['abonelikten çık', 'listeden çıkar'],
  },
  {
    language: 'ja',
    starts: [],
    wrote: ['書きました', 'のメール', 'さんは書きました', 'wrote'],
    from: ['差出人', '送信者', 'from'],
    date: ['日付', '送信日時', '日時', '送信済み'],
    to: ['宛先', 'cc'],
    subject: ['件名'],
    dividers: ['元のメッセージ', '転送メッセージ', '元のメール', 'オリジナルメッセージ', '転送されたメッセージ'],
    sentFrom: ['から送信'],
    leave: ['配信停止', '退会', '解除'],
  },
  {
    language: 'zh',
    starts: ['在', '于'],
    wrote: ['写道', '寫道'],
    from: ['发件人', '寄件者', '寄件人'],
    date: ['日期', '发送时间', '寄件日期', '时间'],
    to: ['收件人', '抄送', '副本'],
    subject: ['主题', '主旨'],
    dividers: ['原始邮件', '转发邮件', '原始郵件', '转发的邮件', '原始訊息', '轉寄的郵件'],
    sentFrom: ['发自我的', '從我的', '发送自'],
    leave: ['退订', '取消订阅', '退訂', '取消訂閱'],
  },
  {
    language: 'ko',
    starts: [],
    wrote: ['작성', '님이 작성', '님이 쓴 글', '썼습니다'],
    from: ['보낸 사람', '발신', '보낸사람'],
    date: ['날짜', '보낸 날짜', '보낸날짜'],
    to: ['받는 사람', '참조', '받는사람'],
    subject: ['제목'],
    dividers: ['원본 메시지', '전달된 메시지', '원본 메일', '전달된 메일'],
    sentFrom: ['나의'],
    leave: ['수신거부', '구독 취소', '구독취소'],
  },
  {
    language: 'ar',
    starts: ['في', 'بتاريخ'],
    wrote: ['كتب', 'كتبت', 'تمت كتابة ما يلي بواسطة'],
    from: ['من'],
    date: ['تاريخ', 'التاريخ', 'تاريخ الإرسال', 'مُرسل'],
    to: ['إلى', 'نسخة'],
    subject: ['الموضوع', 'موضوع'],
    dividers: ['الرسالة الأصلية', 'رسالة معاد توجيهها', 'رسالة معاد إرسالها'],
    sentFrom: ['أُرسلت من', 'تم الإرسال من'],
    leave: ['إلغاء الاشتراك', 'الغاء الاشتراك'],
  },
];

type Label = 'from' | 'date' | 'to' | 'subject';

const LABELS = new Map<string, Set<Label>>();
for (const words of READER_WORDS)
  for (const label of ['from', 'date', 'to', 'subject'] as const)
    for (const word of words[label]) LABELS.set(word, (LABELS.get(word) ?? new Set()).add(label));

const DIVIDERS = new Set(READER_WORDS.flatMap(({ dividers }) => dividers));
const STARTS = new Set(READER_WORDS.flatMap(({ starts }) => starts));
const WROTE = [...new Set(READER_WORDS.flatMap(({ wrote }) => wrote))];
const SENT_FROM = [...new Set(READER_WORDS.flatMap(({ sentFrom }) => sentFrom))];
const LEAVE = new Set(READER_WORDS.flatMap(({ leave }) => leave));

const isWordSign = (sign: string | undefined): boolean => sign !== undefined && /[\p{L}\p{N}]/u.test(sign);
/** Scripts that put no space between words. */
const UNSPACED = /[\u3040-\u30FF\u3400-\u9FFF\uAC00-\uD7AF]/;

/** Whether a lower-case text contains a word, not as part of another word. */
function holds(text: string, word: string): boolean {
  for (let at = text.indexOf(word); at !== -1; at = text.indexOf(word, at + 1))
    if (UNSPACED.test(word) || (!isWordSign(text[at - 1]) && !isWordSign(text[at + word.length]))) return true;
  return false;
}

/** The labels that a line of a header in a text may begin with; undefined for other lines. Bold labels are between asterisks. */
export function labelsOf(line: string): ReadonlySet<Label> | undefined {
  const plain = line.replaceAll('*', '').trimStart();
  const colon = plain.search(/[:：]/);
  return colon <= 0 || colon > 24 ? undefined : LABELS.get(plain.slice(0, colon).trim().toLowerCase());
}

/** Whether a line stands above an email that is answered or passed on: "-----Original Message-----". */
export function isDivider(line: string): boolean {
  const raw = line.trim();
  const words = raw
    .replace(/^[-_=*~\s]{1,80}/, '')
    .replace(/[-_=*~\s:：]{1,80}$/, '')
    .toLowerCase();
  if (!DIVIDERS.has(words)) return false;
  // Such words may also be said in a sentence of its own: a divider has its dashes, or its colon.
  return /^[-_=*~]{2}/.test(raw) || /[:：]$/.test(raw);
}

/** Whether a line begins as one that introduces a quote. */
export function beginsIntroduction(line: string): boolean {
  const small = line.trimStart().slice(0, 60).toLowerCase();
  if (/^[<"'\d]/.test(small)) return true;
  const [first = '', second = ''] = small.split(/[^\p{L}]+/u, 3);
  return (
    STARTS.has(first) || STARTS.has(`${first} ${second}`) || (UNSPACED.test(first) && [...STARTS].some((word) => small.startsWith(word)))
  );
}

/** Whether a text holds a word of those that introduce a quote: "wrote". */
export function saysWrote(text: string): boolean {
  const small = text.toLowerCase();
  return WROTE.some((word) => holds(small, word));
}

/** Whether a device has added this line: "Sent from my phone". */
export function isSentFrom(line: string): boolean {
  const small = line.trim().toLowerCase();
  return (
    small.length > 0 &&
    small.length <= 90 &&
    SENT_FROM.some((word) => small.startsWith(word) || (UNSPACED.test(word) && small.endsWith(word)))
  );
}

/** Whether a text is nothing but the wish to get no more of it. */
export function isWishToLeave(text: string): boolean {
  const small = text
    .toLowerCase()
    .replace(/[\s.!,;:"'“”„»«。！]+/g, ' ')
    .trim();
  return small.length <= 60 && LEAVE.has(small);
}
