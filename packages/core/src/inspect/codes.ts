// Words that announce a one-time code, in the languages that mails are most often written in.
const ANNOUNCED =
  /\b(?:code|passcode|pin|otp|one-time|kennwort|einmal\w*|zugangscode|c[oó]digo|codice|kode|kod|koodi|k[oó]ði|k[oó]ð\w*|mot de passe|password)\b|رمز|كود|コード|验证码|驗證碼|인증|код/iu;
/** A line that is nothing but a code: "493027", "493 027", "493-027", "K7PQ-22MD". */
const ALONE = /^(?:\d{4,10}|\d{3}[ \u00A0-]\d{3,4}|[A-Z0-9]{4,6}[ \u00A0-][A-Z0-9]{4,6}|(?=[A-Z0-9]*\d)[A-Z0-9]{4,10})$/;
const INSIDE =
  /(?<![\p{L}\p{N}.,:/#-])(\d{3}[ \u00A0-]\d{3}|\d{4,8}|(?=[A-Z0-9]*\d)(?=[A-Z0-9]*[A-Z])[A-Z0-9]{5,10})(?![\p{L}\p{N}/:%€$-]|[.,]\d)/gu;
const YEAR = /^(?:19|20)\d\d$/;

/**
 * One-time codes in a text part, the likeliest first, without the spaces and hyphens that group them. A line of its own says more than a
 * number in a sentence, and a word that announces a code counts for more; years, prices and numbers of an unknown kind do not count.
 */
export function codesOf(text: string): string[] {
  const found: { code: string; weight: number }[] = [];
  const lines = text.split(/\r?\n/).map((line) => line.trim());
  const said = ANNOUNCED.test(text);
  lines.forEach((line, i) => {
    const near = [lines[i - 2], lines[i - 1], line, lines[i + 1]].some((value) => value !== undefined && ANNOUNCED.test(value));
    const bare = line.replace(/^[*_`]+|(?<![*_`])[*_`]+$/g, '');
    if (ALONE.test(bare) && /\d/.test(bare)) {
      if (said || !YEAR.test(bare)) found.push({ code: bare, weight: near ? 0 : said ? 1 : 3 });
      return;
    }
    if (!ANNOUNCED.test(line) && !(i > 0 && ANNOUNCED.test(lines[i - 1] ?? ''))) return;
    for (const [, code = ''] of line.matchAll(INSIDE)) if (!YEAR.test(code)) found.push({ code, weight: ANNOUNCED.test(line) ? 2 : 4 });
  });
  found.sort((a, b) => a.weight - b.weight);
  // A line of digits that nothing announces is a number like any other.
  return [...new Set(found.filter(({ weight }) => said || weight < 3).map(({ code }) => code.replace(/[ \u00A0-]/g, '')))];
}
