/** Words that are frequent in one language and rare in the others, and scripts that show it by themselves. */
const FREQUENT: readonly (readonly [string, string])[] = [
  [
    'en',
    'the and you your for with have this that please thank thanks are was were would could from our my is it not be of to in we hello hi know when what',
  ],
  [
    'de',
    'der die das und ich nicht ist wir sie mit für auf bitte danke ein eine einen haben habe hat dass dem den sind war wird mein meine unser zu von hallo',
  ],
  [
    'fr',
    'le la les des une est je vous nous pas pour avec merci bonjour dans sur que qui mon ma mes notre votre être avons ai suis cette au du et',
  ],
  ['es', 'el los las una que por para con gracias hola no es está estoy mi mis su nuestro usted favor pero muy del al y cuando quiero'],
  ['pt', 'o os as uma que não por para com obrigado obrigada olá é está estou meu minha nosso você mas muito do da ao em quando gostaria'],
  [
    'it',
    'il lo gli una che non per con grazie buongiorno alla alle e in nel è sono sta mio mia nostro vostro ma molto della del di anche vorrei quando questo',
  ],
  ['nl', 'de het een en ik niet is wij u met voor op bedankt graag mijn onze dat zijn was heb hebben naar maar ook van te hallo kunt'],
  ['pl', 'nie jest się że proszę dziękuję dzień dobry mam na do za przez ale oraz mój moja nasz czy jak dla był była jestem w z'],
  ['sv', 'och jag inte är det att för med tack hej på min mitt vår från en ett som den till har kan vi av'],
  ['da', 'og jeg ikke er det at for med tak hej på min mit vores fra en et som den til har kan vi af'],
  ['is', 'og ég ekki er það að fyrir með takk halló á mín mitt frá sem til hef get við um þetta'],
  ['fi', 'ja en ei on se että kiitos hei minun meidän mutta ole olen oli voisiko kun niin myös tai kanssa'],
  ['cs', 'a ne je se že prosím děkuji dobrý den mám na do za ale můj moje náš jak pro byl byla jsem v s'],
  ['tr', 've bir bu için ile değil çok teşekkürler merhaba ben benim bizim ama var yok olan lütfen nasıl ne mi'],
];

const WORDS = FREQUENT.map(([language, words]) => [language, new Set(words.split(' '))] as const);

/** Letters that only these languages have. */
const LETTERS: readonly (readonly [string, RegExp])[] = [
  ['pl', /[ąęłńśźż]/g],
  ['cs', /[ěřůďťň]/g],
  ['is', /[ðþ]/g],
  ['tr', /[ğış]/g],
  ['de', /ß/g],
  ['pt', /[ãõ]/g],
  ['es', /[ñ¿¡]/g],
  ['fr', /[œçèêîû]/g],
];

const SCRIPTS: readonly (readonly [string, RegExp])[] = [
  ['ja', /[\u3040-\u30FF]/g],
  ['ko', /[\uAC00-\uD7AF]/g],
  ['zh', /[\u4E00-\u9FFF]/g],
  ['ar', /[\u0600-\u06FF]/g],
  ['he', /[\u0590-\u05FF]/g],
  ['el', /[\u0370-\u03FF]/g],
  ['ru', /[\u0400-\u04FF]/g],
  ['th', /[\u0E00-\u0E7F]/g],
  ['hi', /[\u0900-\u097F]/g],
];

/** Characters that are looked at. */
const LOOKED_AT = 4000;

/** The language of a text (BCP 47, without a region), as far as its words show; undefined for what is too short or unknown. */
export function languageOf(text: string): string | undefined {
  const start = text.slice(0, LOOKED_AT).toLowerCase();
  const letters = start.match(/\p{L}/gu)?.length ?? 0;
  if (letters < 3) return undefined;
  for (const [language, pattern] of SCRIPTS) {
    const count = start.match(pattern)?.length ?? 0;
    // Japanese has Chinese characters, too: a few of its own letters show it.
    if (count > letters * (language === 'ja' ? 0.1 : 0.3)) return language;
  }
  const words = start.match(/\p{L}+/gu) ?? [];
  const scores = WORDS.map(([language, frequent]) => {
    const found = words.filter((word) => frequent.has(word)).length;
    const own = LETTERS.find(([name]) => name === language)?.[1];
    return { language, score: found + (own === undefined ? 0 : Math.min(4, start.match(own)?.length ?? 0) * 1.5) };
  }).sort((a, b) => b.score - a.score);
  const [first, second] = scores;
  return first === undefined || first.score < 2 || first.score === second?.score ? undefined : first.language;
}
