import type { Cause } from '../delivery/index.js';

/** How postmasters and people say things, in 14 languages: made up for the corpus of returns. */
export interface Tongue {
  readonly language: string;
  /** Subjects, and how a report begins. */
  readonly subjects: readonly [string, string];
  readonly opening: readonly [string, string];
  /** What a server says, two ways for each cause. */
  readonly reasons: Readonly<Record<CorpusCause, readonly [string, string]>>;
  /** Automatic answers: subject and text. */
  readonly answers: readonly (readonly [subject: string, text: string])[];
  /** A person. */
  readonly person: readonly [subject: string, text: string];
}

export type CorpusCause = Extract<
  Cause,
  | 'mailbox-full'
  | 'mailbox-disabled'
  | 'mailbox-unknown'
  | 'content'
  | 'too-large'
  | 'policy'
  | 'reputation'
  | 'domain-unknown'
  | 'unreachable'
  | 'rate-or-greylist'
>;

export const TONGUES: readonly Tongue[] = [
  {
    language: 'en',
    subjects: ['Delivery failure: your message', 'Undeliverable: Your booking'],
    opening: ['Your message could not be delivered to the following recipient:', 'I am sorry, the mail you sent was not delivered.'],
    reasons: {
      'mailbox-full': ['The mailbox of this user is full.', 'The recipient has exceeded the storage quota of the account.'],
      'mailbox-disabled': ['This account has been disabled.', 'The mailbox is no longer in use.'],
      'mailbox-unknown': ['There is no such user here.', 'The address was not found in our directory; user unknown.'],
      content: ['The message was classified as spam.', 'A virus was found in the attachment.'],
      'too-large': ['The message is larger than the maximum size.', 'Message too big for this mailbox.'],
      policy: ['You are not allowed to send to this group.', 'Access denied: only members may write here.'],
      reputation: ['Your server is on a block list.', 'The sending IP has a poor reputation.'],
      'domain-unknown': ['The domain was not found.', 'Domain does not exist.'],
      unreachable: ['Connection refused by the remote server.', 'The server did not respond: connection timed out.'],
      'rate-or-greylist': ['Too many connections from your host.', 'Greylisted, please try again later.'],
    },
    answers: [
      ['Out of office: Your booking', 'I am out of the office until Monday.'],
      ['Automatic reply: Your booking', 'Thank you for your message. I will reply on my return.'],
    ],
    person: ['Re: Your booking', 'Thank you, may I bring my dog? He is small and the mailbox in the hall is not full of letters.'],
  },
  {
    language: 'de',
    subjects: ['Unzustellbar: Ihre Buchung', 'Zustellung fehlgeschlagen'],
    opening: ['Ihre Nachricht konnte dem folgenden Empfänger nicht zugestellt werden:', 'Leider ließ sich Ihre E-Mail nicht zustellen.'],
    reasons: {
      'mailbox-full': ['Das Postfach des Empfängers ist voll.', 'Der Speicherplatz des Benutzers wurde überschritten.'],
      'mailbox-disabled': ['Dieses Konto ist gesperrt.', 'Das Postfach wurde deaktiviert.'],
      'mailbox-unknown': ['Der Empfänger ist hier unbekannt.', 'Diese Adresse existiert nicht.'],
      content: ['Die Nachricht wurde als Spam eingestuft.', 'Der Anhang enthält einen Virus.'],
      'too-large': ['Die Nachricht ist zu groß.', 'Die maximale Größe einer Nachricht wurde überschritten.'],
      policy: ['Sie sind nicht berechtigt, an diese Gruppe zu schreiben.', 'Der Absender ist hier nicht zugelassen.'],
      reputation: ['Ihr Server steht auf einer Sperrliste.', 'Ihre IP-Adresse steht auf einer schwarzen Liste: schwarze Liste aktiv.'],
      'domain-unknown': ['Die Domain wurde nicht gefunden.', 'Die Domain des Empfängers existiert nicht.'],
      unreachable: ['Die Verbindung wurde abgelehnt.', 'Der Server des Empfängers ist nicht erreichbar.'],
      'rate-or-greylist': ['Zu viele Verbindungen von Ihrem Server.', 'Bitte später erneut versuchen.'],
    },
    answers: [
      ['Abwesenheitsnotiz: Ihre Buchung', 'Ich bin bis Montag nicht im Büro.'],
      ['Automatische Antwort: Ihre Buchung', 'Ich bin derzeit im Urlaub und lese keine E-Mails.'],
    ],
    person: ['AW: Ihre Buchung', 'Vielen Dank! Darf mein Hund mit? Er ist klein und nicht gefährlich.'],
  },
  {
    language: 'fr',
    subjects: ['Échec de la remise : votre réservation', 'Message non remis'],
    opening: ["Votre message n'a pas pu être remis au destinataire suivant :", "Désolé, le courrier n'a pas été distribué."],
    reasons: {
      'mailbox-full': ['La boîte du destinataire est pleine.', "Le quota de l'utilisateur est dépassé."],
      'mailbox-disabled': ['Ce compte a été désactivé.', 'Le compte du destinataire est suspendu.'],
      'mailbox-unknown': ['Utilisateur inconnu.', "Cette adresse n'existe pas."],
      content: ['Le message a été considéré comme spam.', 'La pièce jointe contient un virus.'],
      'too-large': ['Le message est trop volumineux.', 'La taille du message dépasse la limite.'],
      policy: ["Vous n'êtes pas autorisé à écrire à ce groupe.", 'Expéditeur non autorisé.'],
      reputation: ['Votre serveur est sur une liste noire.', 'Votre adresse a une mauvaise réputation.'],
      'domain-unknown': ["Le domaine du destinataire n'existe pas.", 'Domaine inconnu.'],
      unreachable: ['Connexion refusée par le serveur distant.', 'Le serveur du destinataire ne répond pas.'],
      'rate-or-greylist': ['Trop de connexions depuis votre serveur.', 'Veuillez réessayer plus tard.'],
    },
    answers: [
      ['Réponse automatique : votre réservation', 'Je suis absente du bureau jusqu’à lundi.'],
      ['Absence : votre réservation', 'Je suis en congé, je vous répondrai à mon retour.'],
    ],
    person: ['Re: Votre réservation', 'Merci ! Puis-je amener mon chien ? Il est petit.'],
  },
  {
    language: 'es',
    subjects: ['No entregado: su reserva', 'Error de entrega del mensaje'],
    opening: ['No se pudo entregar su mensaje al siguiente destinatario:', 'Lo sentimos, el correo no ha podido ser entregado.'],
    reasons: {
      'mailbox-full': ['El buzón del destinatario está lleno.', 'La cuota del usuario ha sido excedida.'],
      'mailbox-disabled': ['La cuenta está desactivada.', 'La cuenta del destinatario fue suspendida.'],
      'mailbox-unknown': ['El usuario no existe.', 'Destinatario desconocido en este servidor.'],
      content: ['El mensaje fue considerado como spam.', 'El adjunto contiene un virus.'],
      'too-large': ['El mensaje es demasiado grande.', 'El tamaño del mensaje excede el límite.'],
      policy: ['No está autorizado a escribir a este grupo.', 'Remitente no permitido.'],
      reputation: ['Su servidor está en una lista negra.', 'La dirección IP tiene mala reputación.'],
      'domain-unknown': ['El dominio no existe.', 'No se ha podido: dominio desconocido.'],
      unreachable: ['Conexión rechazada por el servidor remoto.', 'El servidor del destinatario no responde.'],
      'rate-or-greylist': ['Demasiadas conexiones desde su servidor.', 'Inténtelo más tarde.'],
    },
    answers: [
      ['Respuesta automática: su reserva', 'Estoy fuera de la oficina hasta el lunes.'],
      ['Fuera de la oficina: su reserva', 'Estaré de vacaciones hasta el día 4.'],
    ],
    person: ['Re: Su reserva', '¡Gracias! ¿Puedo llevar a mi perro? Es pequeño.'],
  },
  {
    language: 'pt',
    subjects: ['Falha na entrega: sua reserva', 'Mensagem não entregue'],
    opening: ['Não foi possível entregar a sua mensagem ao destinatário:', 'Lamentamos, o seu e-mail não foi entregue.'],
    reasons: {
      'mailbox-full': ['A caixa de correio está cheia.', 'A quota do destinatário foi excedida.'],
      'mailbox-disabled': ['A conta está desativada.', 'A conta do destinatário foi suspensa.'],
      'mailbox-unknown': ['O usuário não existe.', 'Destinatário desconhecido.'],
      content: ['A mensagem foi identificada como spam.', 'O anexo contém um vírus.'],
      'too-large': ['A mensagem é muito grande.', 'O tamanho da mensagem excede o limite.'],
      policy: ['Você não está autorizado a escrever para este grupo.', 'Remetente não autorizado.'],
      reputation: ['O seu servidor está numa lista negra.', 'O endereço IP está em uma lista de bloqueio.'],
      'domain-unknown': ['O domínio não existe.', 'Domínio desconhecido.'],
      unreachable: ['Conexão recusada pelo servidor remoto.', 'O servidor do destinatário não responde.'],
      'rate-or-greylist': ['Muitas conexões do seu servidor.', 'Tente novamente mais tarde.'],
    },
    answers: [
      ['Resposta automática: sua reserva', 'Estou fora do escritório até segunda-feira.'],
      ['Ausência: sua reserva', 'Estou de férias e respondo quando eu voltar.'],
    ],
    person: ['Re: Sua reserva', 'Obrigada! Posso levar o meu cão? É pequeno.'],
  },
  {
    language: 'it',
    subjects: ['Mancata consegna: la sua prenotazione', 'Messaggio non recapitato'],
    opening: ['Non è stato possibile consegnare il messaggio al destinatario:', 'Siamo spiacenti, il messaggio non è stato recapitato.'],
    reasons: {
      'mailbox-full': ['La casella del destinatario è piena.', 'Quota superata per questo utente.'],
      'mailbox-disabled': ['La casella è stata disattivata.', 'Account sospeso.'],
      'mailbox-unknown': ['Utente sconosciuto.', "L'indirizzo non esiste."],
      content: ['Il messaggio è stato considerato spam.', "L'allegato contiene un virus."],
      'too-large': ['Il messaggio è troppo grande.', 'La dimensione massima è stata superata: dimensione massima 10 MB.'],
      policy: ['Il mittente non è autorizzato a scrivere al gruppo.', 'Mittente non consentito.'],
      reputation: ['Il vostro server è in una lista nera.', 'Indirizzo IP con cattiva reputazione.'],
      'domain-unknown': ['Il dominio non esiste.', 'Dominio sconosciuto.'],
      unreachable: ['Connessione rifiutata dal server remoto.', 'Il server del destinatario non risponde.'],
      'rate-or-greylist': ['Troppe connessioni dal vostro server.', 'Riprovare più tardi.'],
    },
    answers: [
      ['Risposta automatica: la sua prenotazione', 'Sono fuori ufficio fino a lunedì.'],
      ['Fuori sede: la sua prenotazione', 'Sarò assente fino al 4, risponderò al mio rientro.'],
    ],
    person: ['Re: La sua prenotazione', 'Grazie! Posso portare il cane? È piccolo.'],
  },
  {
    language: 'nl',
    subjects: ['Onbestelbaar: uw boeking', 'Bericht niet bezorgd'],
    opening: ['Uw bericht kon niet worden bezorgd bij de volgende ontvanger:', 'Helaas is uw e-mail niet afgeleverd.'],
    reasons: {
      'mailbox-full': ['De mailbox van de ontvanger is vol.', 'Het quotum van de gebruiker is overschreden.'],
      'mailbox-disabled': ['Het account is uitgeschakeld.', 'Deze mailbox is opgeheven.'],
      'mailbox-unknown': ['Onbekende gebruiker.', 'Dit adres bestaat niet.'],
      content: ['Het bericht werd als spam aangemerkt.', 'De bijlage bevat een virus.'],
      'too-large': ['Het bericht is te groot.', 'De maximale grootte is overschreden.'],
      policy: ['U bent niet gemachtigd om aan deze groep te schrijven.', 'Afzender niet toegestaan.'],
      reputation: ['Uw server staat op een zwarte lijst.', 'Het IP-adres heeft een slechte reputatie.'],
      'domain-unknown': ['Het domein bestaat niet.', 'Domein onbekend.'],
      unreachable: ['Verbinding geweigerd door de server.', 'De server van de ontvanger is niet bereikbaar.'],
      'rate-or-greylist': ['Te veel verbindingen vanaf uw server.', 'Probeer het later opnieuw.'],
    },
    answers: [
      ['Automatisch antwoord: uw boeking', 'Ik ben tot maandag niet op kantoor.'],
      ['Afwezig: uw boeking', 'Ik ben op vakantie, bij terugkomst lees ik uw bericht.'],
    ],
    person: ['Re: Uw boeking', 'Bedankt! Mag mijn hond mee? Hij is klein.'],
  },
  {
    language: 'pl',
    subjects: ['Niedostarczona wiadomość: rezerwacja', 'Zwrot wiadomości'],
    opening: ['Nie udało się dostarczyć wiadomości do następującego odbiorcy:', 'Przykro nam, Twoja wiadomość nie została dostarczona.'],
    reasons: {
      'mailbox-full': ['Skrzynka odbiorcy jest pełna.', 'Przekroczono limit pojemności skrzynki.'],
      'mailbox-disabled': ['Konto jest zablokowane.', 'Skrzynka została wyłączona; skrzynka nieaktywna.'],
      'mailbox-unknown': ['Nieznany użytkownik.', 'Podany adres nie istnieje.'],
      content: ['Wiadomość została uznana za spam.', 'Załącznik zawiera wirusa.'],
      'too-large': ['Wiadomość jest zbyt duża.', 'Wiadomość przekracza dozwolony rozmiar.'],
      policy: ['Nie masz uprawnień do pisania do tej grupy.', 'Nadawca niedozwolony.'],
      reputation: ['Twój serwer jest na czarnej liście.', 'Adres IP ma zła reputacja.'],
      'domain-unknown': ['Domena nie istnieje.', 'Domena nieznana.'],
      unreachable: ['Połączenie zostało odrzucone.', 'Serwer odbiorcy nie odpowiada.'],
      'rate-or-greylist': ['Zbyt wiele połączeń z Twojego serwera.', 'Spróbuj ponownie później.'],
    },
    answers: [
      ['Odpowiedź automatyczna: rezerwacja', 'Jestem poza biurem do poniedziałku.'],
      ['Nieobecność: rezerwacja', 'Przebywam na urlopie, odpiszę po powrocie.'],
    ],
    person: ['Odp: Rezerwacja', 'Dziękuję! Czy mogę zabrać psa? Jest mały.'],
  },
  {
    language: 'ru',
    subjects: ['Недоставленное сообщение: ваша бронь', 'Не удалось доставить сообщение'],
    opening: ['Ваше сообщение не может быть доставлено следующему получателю:', 'К сожалению, письмо не было доставлено.'],
    reasons: {
      'mailbox-full': ['Почтовый ящик получателя переполнен.', 'Превышена квота почтового ящика.'],
      'mailbox-disabled': ['Ящик заблокирован.', 'Учетная запись отключена.'],
      'mailbox-unknown': ['Пользователь не найден.', 'Такой адрес не существует.'],
      content: ['Письмо признано спамом.', 'Вложение содержит вирус.'],
      'too-large': ['Сообщение слишком большое.', 'Размер письма превышает допустимый.'],
      policy: ['У вас нет прав писать в эту группу.', 'Отправитель запрещен.'],
      reputation: ['Ваш сервер находится в черном списке.', 'У адреса плохая репутация.'],
      'domain-unknown': ['Домен получателя не найден.', 'Домен не существует.'],
      unreachable: ['Соединение отклонено удаленным сервером.', 'Сервер получателя не отвечает.'],
      'rate-or-greylist': ['Слишком много соединений с вашего сервера.', 'Повторите попытку позже.'],
    },
    answers: [
      ['Автоответ: ваша бронь', 'Меня нет на месте, я в отпуске до понедельника.'],
      ['Автоматический ответ', 'Я сейчас отсутствую, отвечу после возвращения.'],
    ],
    person: ['Re: Ваша бронь', 'Спасибо! Можно взять собаку? Она маленькая.'],
  },
  {
    language: 'tr',
    subjects: ['İletiniz teslim edilemedi: rezervasyon', 'Teslim edilemedi'],
    opening: ['İletiniz aşağıdaki alıcıya teslim edilemedi:', 'Üzgünüz, e-postanız iletilemedi.'],
    reasons: {
      'mailbox-full': ['Alıcının posta kutusu dolu.', 'Kullanıcının kotası aşıldı.'],
      'mailbox-disabled': ['Bu hesap devre dışı.', 'Hesap askıya alındı.'],
      'mailbox-unknown': ['Kullanıcı bulunamadı.', 'Böyle bir adres yok.'],
      content: ['İleti spam olarak işaretlendi.', 'Ekteki dosya virüs içeriyor.'],
      'too-large': ['İleti çok büyük.', 'İletinin boyutu sınırı aşıyor.'],
      policy: ['Bu gruba yazma yetkiniz yok.', 'Gönderene izin verilmiyor.'],
      reputation: ['Sunucunuz kara listede.', 'IP adresiniz kara listede yer alıyor.'],
      'domain-unknown': ['Alan adı bulunamadı.', 'Alıcının etki alanı mevcut değil.'],
      unreachable: ['Bağlantı reddedildi.', 'Alıcının sunucusu yanıt vermiyor.'],
      'rate-or-greylist': ['Sunucunuzdan çok fazla bağlantı var.', 'Lütfen daha sonra tekrar deneyin.'],
    },
    answers: [
      ['Otomatik yanıt: rezervasyon', 'Pazartesiye kadar ofis dışındayım.'],
      ['Otomatik cevap', 'Şu anda tatildeyim.'],
    ],
    person: ['Ynt: Rezervasyon', 'Teşekkürler! Köpeğimi getirebilir miyim? Küçük.'],
  },
  {
    language: 'ja',
    subjects: ['配信不能: ご予約', 'メールを配信できませんでした'],
    opening: ['次の宛先にメッセージを配信できませんでした。', '申し訳ありませんが、メールをお届けできません。'],
    reasons: {
      'mailbox-full': ['受信者のメールボックスがいっぱいです。', 'メールボックスの容量を超えています。'],
      'mailbox-disabled': ['このアカウントは無効です。', 'アカウントは停止されています。'],
      'mailbox-unknown': ['宛先不明です。', 'そのユーザーは存在しません。'],
      content: ['メッセージは迷惑メールと判定されました。', '添付ファイルからウイルスが検出されました。'],
      'too-large': ['メッセージが大きすぎます。', 'メッセージのサイズが制限を超えています。'],
      policy: ['このグループに送信する権限がありません。', '送信は許可されていません。'],
      reputation: ['送信元サーバーはブラックリストに登録されています。', '送信元の評価が低いため受け付けません。'],
      'domain-unknown': ['ドメインが存在しません。', 'ドメインが見つかりません。'],
      unreachable: ['接続が拒否されました。', '相手サーバーから応答がありません。'],
      'rate-or-greylist': ['接続数が多すぎます。', 'しばらくしてからもう一度お試しください。'],
    },
    answers: [
      ['自動返信: ご予約', '月曜日まで不在にしております。'],
      ['自動応答', '休暇中のため返信が遅れます。'],
    ],
    person: ['Re: ご予約', 'ありがとうございます。犬を連れて行けますか。小さい犬です。'],
  },
  {
    language: 'ko',
    subjects: ['배달 실패: 예약', '메일을 전송할 수 없습니다'],
    opening: ['다음 수신자에게 메시지를 배달할 수 없습니다:', '죄송합니다. 메일이 전달되지 않았습니다.'],
    reasons: {
      'mailbox-full': ['수신자의 사서함이 가득 찼습니다.', '메일함 용량이 초과되었습니다.'],
      'mailbox-disabled': ['계정이 비활성화되었습니다.', '휴면 계정입니다.'],
      'mailbox-unknown': ['존재하지 않는 사용자입니다.', '수신자를 찾을 수 없습니다.'],
      content: ['메시지가 스팸으로 분류되었습니다.', '첨부 파일에서 바이러스가 발견되었습니다.'],
      'too-large': ['메시지가 너무 큽니다.', '메시지 크기가 한도를 초과했습니다.'],
      policy: ['이 그룹에 보낼 권한이 없습니다.', '보내기가 허용되지 않습니다.'],
      reputation: ['서버가 블랙리스트에 있습니다.', '발신 서버의 평판이 낮습니다.'],
      'domain-unknown': ['도메인을 찾을 수 없습니다.', '도메인이 존재하지 않습니다.'],
      unreachable: ['연결이 거부되었습니다.', '상대 서버가 응답하지 않습니다.'],
      'rate-or-greylist': ['너무 많은 연결이 있습니다.', '나중에 다시 시도해 주십시오.'],
    },
    answers: [
      ['자동 응답: 예약', '월요일까지 부재중입니다.'],
      ['부재중', '휴가 중이라 복귀 후 답장하겠습니다.'],
    ],
    person: ['Re: 예약', '감사합니다. 강아지를 데려가도 되나요? 작은 강아지입니다.'],
  },
  {
    language: 'zh',
    subjects: ['退信: 您的预订', '邮件投递失败'],
    opening: ['您的邮件无法送达以下收件人：', '抱歉，您的邮件未能送达。'],
    reasons: {
      'mailbox-full': ['收件人的邮箱已满。', '邮箱容量超出限制。'],
      'mailbox-disabled': ['该帐户已被停用。', '邮箱已被禁用。'],
      'mailbox-unknown': ['用户不存在。', '找不到该收件人。'],
      content: ['邮件被判定为垃圾邮件。', '附件中发现病毒。'],
      'too-large': ['邮件太大。', '邮件超过了大小限制。'],
      policy: ['您没有权限向该群组发送邮件。', '发件人被拒绝。'],
      reputation: ['您的服务器在黑名单中。', '发送方信誉过低。'],
      'domain-unknown': ['域名不存在。', '域名无法解析。'],
      unreachable: ['连接被拒绝。', '对方服务器无响应。'],
      'rate-or-greylist': ['连接过多。', '请稍后再试。'],
    },
    answers: [
      ['自动回复: 您的预订', '我正在休假，周一回来。'],
      ['自动回复', '我出差在外，不能及时回信。'],
    ],
    person: ['回复: 您的预订', '谢谢！我可以带狗吗？它很小。'],
  },
  {
    language: 'ar',
    subjects: ['تعذر التسليم: حجزك', 'فشل تسليم الرسالة'],
    opening: ['تعذر تسليم رسالتك إلى المستلم التالي:', 'عذرًا، لم يتم تسليم بريدك.'],
    reasons: {
      'mailbox-full': ['صندوق بريد المستلم ممتلئ.', 'تجاوز المستخدم الحصة المخصصة.'],
      'mailbox-disabled': ['هذا الحساب معطل.', 'تم إيقاف الحساب.'],
      'mailbox-unknown': ['المستخدم غير موجود.', 'لا يوجد مستخدم بهذا الاسم.'],
      content: ['صُنفت الرسالة على أنها بريد عشوائي.', 'عُثر على فيروس في المرفق.'],
      'too-large': ['الرسالة كبيرة جدا.', 'تجاوزت الرسالة الحجم الأقصى.'],
      policy: ['أنت غير مصرح لك بالكتابة إلى هذه المجموعة.', 'الإرسال غير مسموح.'],
      reputation: ['خادمك مدرج في القائمة السوداء.', 'سمعة عنوان الإرسال سيئة.'],
      'domain-unknown': ['النطاق غير معروف.', 'لم يتم العثور على النطاق.'],
      unreachable: ['تم رفض الاتصال: رفض الاتصال من الخادم.', 'الخادم لا يستجيب.'],
      'rate-or-greylist': ['اتصالات كثيرة من خادمك.', 'حاول مرة أخرى لاحقًا.'],
    },
    answers: [
      ['رد تلقائي: حجزك', 'أنا خارج المكتب حتى يوم الاثنين.'],
      ['الرد الآلي', 'أنا في إجازة، وسأجيب عند عودتي.'],
    ],
    person: ['رد: حجزك', 'شكرا! هل يمكنني إحضار كلبي؟ إنه صغير.'],
  },
];
