import type { LanguagePhrases } from '../language.js';

export const HU: LanguagePhrases = {
  language: 'hu',
  causes: {
    'mailbox-full': ['postafiók*{megtelt|tele van}', 'kvóta*túllép'],
    'mailbox-disabled': ['fiók*{letiltva|felfüggesztve|megszűnt}'],
    'mailbox-unknown': ['nem létezik', 'ismeretlen {felhasználó|címzett|cím}', 'nem található'],
    content: ['kéretlen', 'vírust tartalmaz'],
    'too-large': ['túl nagy'],
  },
  failed: ['nem kézbesíthető', 'kézbesítés sikertelen', 'nem sikerült kézbesíteni'],
  bounceSubject: ['kézbesíthetetlen', 'nem kézbesíthető', 'kézbesítés'],
  autoSubject: ['^ automatikus válasz', 'házon kívül'],
  away: ['szabadságon', 'házon kívül', 'automatikus válasz'],
  noted: ['megkaptuk', 'ügyszám'],
};
