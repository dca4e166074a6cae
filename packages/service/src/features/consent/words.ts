import { lookUp } from '@verbalis/core/strings';
import type { PageLanguage } from '../../kernel/index.js';

/** What the pages say. `{address}`, `{topic}` and `{app}` stand for what is filled in. */
export interface Words {
  readonly unknownTitle: string;
  readonly unknown: string;
  readonly leaveTitle: string;
  readonly leave: string;
  readonly leaveButton: string;
  readonly leftTitle: string;
  readonly left: string;
  readonly all: string;
  readonly title: string;
  readonly intro: string;
  readonly save: string;
  readonly none: string;
  readonly saved: string;
  readonly blocked: string;
  readonly essentialTitle: string;
  readonly essential: string;
  readonly nothing: string;
  readonly joinTitle: string;
  readonly join: string;
  readonly joinButton: string;
  readonly joinedTitle: string;
  readonly joined: string;
  readonly pause: string;
  /** With `{date}`. */
  readonly paused: string;
  readonly tracking: string;
  readonly trackingAbout: string;
}

const en: Words = {
  unknownTitle: 'This link is not known',
  unknown: 'It may be incomplete. Open it again from the email.',
  leaveTitle: 'Unsubscribe?',
  leave: '{address} will get no more emails about “{topic}”.',
  leaveButton: 'Unsubscribe',
  leftTitle: 'Unsubscribed',
  left: '{address} gets no more emails about “{topic}”.',
  all: 'All my choices',
  title: 'Your emails',
  intro: 'Choose what {address} gets.',
  save: 'Save',
  none: 'None of these',
  saved: 'Saved.',
  blocked: 'No email is sent to this address at present. Ask the sender to change that.',
  essentialTitle: 'Always sent',
  essential: 'These are needed for what you have ordered or for your account, so they cannot be switched off.',
  nothing: 'There is nothing to choose here.',
  joinTitle: 'Subscribe?',
  join: '{address} will get emails about “{topic}” from {app}.',
  joinButton: 'Subscribe',
  joinedTitle: 'Subscribed',
  joined: '{address} gets emails about “{topic}” from now on.',
  pause: 'Pause for 30 days',
  paused: 'Paused until {date}.',
  tracking: 'The sender may see which links I follow',
  trackingAbout: 'Without this, links are only counted, without who followed them.',
};
const de: Words = {
  unknownTitle: 'Dieser Link ist nicht bekannt',
  unknown: 'Vielleicht ist er unvollständig. Öffnen Sie ihn noch einmal aus der E-Mail.',
  leaveTitle: 'Abbestellen?',
  leave: '{address} erhält dann keine E-Mails mehr zu „{topic}“.',
  leaveButton: 'Abbestellen',
  leftTitle: 'Abbestellt',
  left: '{address} erhält keine E-Mails mehr zu „{topic}“.',
  all: 'Alle meine Einstellungen',
  title: 'Ihre E-Mails',
  intro: 'Wählen Sie aus, was {address} erhält.',
  save: 'Speichern',
  none: 'Nichts davon',
  saved: 'Gespeichert.',
  blocked: 'An diese Adresse wird zurzeit nichts gesendet. Wenden Sie sich an den Absender.',
  essentialTitle: 'Immer gesendet',
  essential: 'Diese E-Mails gehören zu Ihrer Bestellung oder Ihrem Konto und lassen sich nicht abbestellen.',
  nothing: 'Hier gibt es nichts auszuwählen.',
  joinTitle: 'Abonnieren?',
  join: '{address} erhält dann E-Mails von {app} zu „{topic}“.',
  joinButton: 'Abonnieren',
  joinedTitle: 'Abonniert',
  joined: '{address} erhält ab jetzt E-Mails zu „{topic}“.',
  pause: '30 Tage pausieren',
  paused: 'Pausiert bis {date}.',
  tracking: 'Der Absender darf sehen, welchen Links ich folge',
  trackingAbout: 'Ohne Zustimmung werden Klicks nur gezählt; niemand erfährt, von wem sie sind.',
};
const fr: Words = {
  unknownTitle: 'Ce lien n’est pas connu',
  unknown: 'Il est peut-être incomplet. Ouvrez-le de nouveau depuis l’e-mail.',
  leaveTitle: 'Se désabonner ?',
  leave: '{address} ne recevra plus d’e-mails sur « {topic} ».',
  leaveButton: 'Se désabonner',
  leftTitle: 'Désabonnement enregistré',
  left: '{address} ne reçoit plus d’e-mails sur « {topic} ».',
  all: 'Tous mes choix',
  title: 'Vos e-mails',
  intro: 'Choisissez ce que {address} reçoit.',
  save: 'Enregistrer',
  none: 'Aucun de ces e-mails',
  saved: 'Enregistré.',
  blocked: 'Aucun e-mail n’est envoyé à cette adresse pour le moment. Adressez-vous à l’expéditeur.',
  essentialTitle: 'Toujours envoyés',
  essential: 'Ces e-mails sont nécessaires à vos commandes ou à votre compte ; ils ne peuvent pas être désactivés.',
  nothing: 'Il n’y a rien à choisir ici.',
  joinTitle: 'S’abonner ?',
  join: '{address} recevra des e-mails de {app} sur « {topic} ».',
  joinButton: 'S’abonner',
  joinedTitle: 'Abonnement enregistré',
  joined: '{address} reçoit désormais des e-mails sur « {topic} ».',
  pause: 'Suspendre 30 jours',
  paused: 'Suspendu jusqu’au {date}.',
  tracking: 'L’expéditeur peut voir quels liens je suis',
  trackingAbout: 'Sans votre accord, les clics sont seulement comptés, et personne ne sait de qui ils viennent.',
};
const es: Words = {
  unknownTitle: 'Este enlace no se conoce',
  unknown: 'Puede estar incompleto. Ábralo de nuevo desde el correo.',
  leaveTitle: '¿Cancelar la suscripción?',
  leave: '{address} no recibirá más correos sobre «{topic}».',
  leaveButton: 'Cancelar la suscripción',
  leftTitle: 'Suscripción cancelada',
  left: '{address} ya no recibe correos sobre «{topic}».',
  all: 'Todas mis preferencias',
  title: 'Sus correos',
  intro: 'Elija qué recibe {address}.',
  save: 'Guardar',
  none: 'Ninguno de estos',
  saved: 'Guardado.',
  blocked: 'Por ahora no se envía ningún correo a esta dirección. Consulte al remitente.',
  essentialTitle: 'Se envían siempre',
  essential: 'Estos correos son necesarios para sus pedidos o su cuenta, por lo que no se pueden desactivar.',
  nothing: 'Aquí no hay nada que elegir.',
  joinTitle: '¿Suscribirse?',
  join: '{address} recibirá correos de {app} sobre «{topic}».',
  joinButton: 'Suscribirse',
  joinedTitle: 'Suscripción registrada',
  joined: '{address} recibe desde ahora correos sobre «{topic}».',
  pause: 'Pausar 30 días',
  paused: 'En pausa hasta el {date}.',
  tracking: 'El remitente puede ver qué enlaces sigo',
  trackingAbout: 'Sin su permiso, los clics solo se cuentan y nadie sabe de quién son.',
};
const ar: Words = {
  unknownTitle: 'هذا الرابط غير معروف',
  unknown: 'ربما يكون غير مكتمل. افتحه مرة أخرى من الرسالة.',
  leaveTitle: 'إلغاء الاشتراك؟',
  leave: 'لن يتلقى {address} رسائل أخرى عن «{topic}».',
  leaveButton: 'إلغاء الاشتراك',
  leftTitle: 'أُلغي الاشتراك',
  left: 'لن يتلقى {address} رسائل أخرى عن «{topic}».',
  all: 'كل اختياراتي',
  title: 'رسائلك',
  intro: 'اختر ما يتلقاه {address}.',
  save: 'حفظ',
  none: 'لا شيء من هذه',
  saved: 'تم الحفظ.',
  blocked: 'لا تُرسل حاليًا أي رسالة إلى هذا العنوان. تواصل مع المرسل.',
  essentialTitle: 'تُرسل دائمًا',
  essential: 'هذه الرسائل ضرورية لطلباتك أو لحسابك، ولذلك لا يمكن إيقافها.',
  nothing: 'لا يوجد ما يمكن اختياره هنا.',
  joinTitle: 'هل تريد الاشتراك؟',
  join: 'سيتلقى {address} رسائل من {app} عن «{topic}».',
  joinButton: 'اشتراك',
  joinedTitle: 'تم الاشتراك',
  joined: 'سيتلقى {address} من الآن رسائل عن «{topic}».',
  pause: 'إيقاف مؤقت لمدة 30 يومًا',
  paused: 'متوقفة مؤقتًا حتى {date}.',
  tracking: 'يمكن للمرسل أن يرى الروابط التي أفتحها',
  trackingAbout: 'من دون موافقتك تُعدّ النقرات فقط، ولا يعرف أحد من قام بها.',
};

const ALL: ReadonlyMap<string, Words> = new Map(Object.entries({ en, de, fr, es, ar }));

export interface Spoken {
  readonly words: Words;
  readonly language: PageLanguage;
}

/** The words in the first of these locales that there are words for; English otherwise. */
export function spokenIn(locales: readonly (string | undefined)[]): Spoken {
  for (const locale of locales) {
    const tag = locale === undefined ? undefined : lookUp(locale, locale).find((found) => ALL.has(found));
    const words = tag === undefined ? undefined : ALL.get(tag);
    if (tag !== undefined && words !== undefined) return { words, language: { lang: tag, dir: tag === 'ar' ? 'rtl' : 'ltr' } };
  }
  return { words: en, language: { lang: 'en', dir: 'ltr' } };
}

/** Fills in what is in braces. Everything is given as HTML. */
export function filled(text: string, values: Readonly<Record<string, string>>): string {
  return text.replace(/\{(\w+)\}/g, (whole, name: string) => values[name] ?? whole);
}
