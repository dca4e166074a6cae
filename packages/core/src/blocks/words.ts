import { memo } from '../formats/index.js';

/** Words that blocks say themselves: what colour and signs say to those who see them. */
export interface BlockWords {
  readonly info: string;
  readonly good: string;
  readonly warning: string;
  readonly danger: string;
  readonly done: string;
  readonly now: string;
  readonly next: string;
}

const of = (
  ...[info, good, warning, danger, done, now, next]: readonly [string, string, string, string, string, string, string]
): BlockWords => ({
  info,
  good,
  warning,
  danger,
  done,
  now,
  next,
});

/** By language; a script of its own by language and script. */
const WORDS: Readonly<Record<string, BlockWords>> = {
  en: of('Note', 'Good news', 'Attention', 'Important', 'done', 'now', 'to come'),
  ar: of('ملاحظة', 'خبر سار', 'تنبيه', 'هام', 'تم', 'الآن', 'لاحقًا'),
  cs: of('Poznámka', 'Dobrá zpráva', 'Upozornění', 'Důležité', 'hotovo', 'nyní', 'následuje'),
  da: of('Bemærk', 'Godt nyt', 'Obs', 'Vigtigt', 'færdig', 'nu', 'kommende'),
  de: of('Hinweis', 'Gute Nachricht', 'Achtung', 'Wichtig', 'erledigt', 'jetzt', 'folgt'),
  el: of('Σημείωση', 'Καλά νέα', 'Προσοχή', 'Σημαντικό', 'έγινε', 'τώρα', 'ακολουθεί'),
  es: of('Nota', 'Buenas noticias', 'Atención', 'Importante', 'hecho', 'ahora', 'pendiente'),
  fi: of('Huomautus', 'Hyviä uutisia', 'Huomio', 'Tärkeää', 'valmis', 'nyt', 'tulossa'),
  fr: of('Remarque', 'Bonne nouvelle', 'Attention', 'Important', 'fait', 'en cours', 'à venir'),
  he: of('הערה', 'חדשות טובות', 'שימו לב', 'חשוב', 'בוצע', 'עכשיו', 'בהמשך'),
  hu: of('Megjegyzés', 'Jó hír', 'Figyelem', 'Fontos', 'kész', 'most', 'következik'),
  it: of('Nota', 'Buone notizie', 'Attenzione', 'Importante', 'fatto', 'ora', 'da fare'),
  ja: of('お知らせ', '朗報', 'ご注意', '重要', '完了', '現在', '今後'),
  ko: of('참고', '좋은 소식', '주의', '중요', '완료', '현재', '예정'),
  nb: of('Merk', 'Gode nyheter', 'Obs', 'Viktig', 'ferdig', 'nå', 'kommer'),
  nl: of('Let op', 'Goed nieuws', 'Attentie', 'Belangrijk', 'klaar', 'nu', 'volgt'),
  pl: of('Uwaga', 'Dobra wiadomość', 'Ostrzeżenie', 'Ważne', 'gotowe', 'teraz', 'wkrótce'),
  pt: of('Nota', 'Boas notícias', 'Atenção', 'Importante', 'concluído', 'agora', 'a seguir'),
  ro: of('Notă', 'Vești bune', 'Atenție', 'Important', 'gata', 'acum', 'urmează'),
  ru: of('Примечание', 'Хорошая новость', 'Внимание', 'Важно', 'готово', 'сейчас', 'далее'),
  sv: of('Observera', 'Goda nyheter', 'Obs', 'Viktigt', 'klart', 'nu', 'kommer'),
  tr: of('Not', 'İyi haber', 'Dikkat', 'Önemli', 'tamamlandı', 'şimdi', 'sırada'),
  uk: of('Примітка', 'Гарна новина', 'Увага', 'Важливо', 'готово', 'зараз', 'далі'),
  zh: of('提示', '好消息', '注意', '重要', '已完成', '进行中', '待进行'),
  'zh-Hant': of('提示', '好消息', '注意', '重要', '已完成', '進行中', '待進行'),
};

/** The words of a locale; English where its language is not known. */
export const wordsOf = memo((locale: string): BlockWords => {
  const { language, script } = new Intl.Locale(locale).maximize();
  const own = language === 'no' || language === 'nn' ? 'nb' : language;
  return WORDS[`${own}-${script ?? ''}`] ?? WORDS[own] ?? (WORDS['en'] as BlockWords);
});

/** Every word for a tone, in any language: the text part says it, where the HTML shows a colour. */
export const TONE_WORDS: ReadonlySet<string> = new Set(
  Object.values(WORDS).flatMap(({ info, good, warning, danger }) => [info, good, warning, danger]),
);
