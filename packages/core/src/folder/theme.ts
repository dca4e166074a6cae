import { COLORS, derivedColors, USUAL_THEME, type Color, type GivenColor, type Theme } from '../html/index.js';
import { depthOf, didYouMean, jsonFault, MAX_DEPTH, problem, SourceText, warning, type Problem } from '../problems/index.js';

type Json = Readonly<Record<string, unknown>>;

function isRecord(value: unknown): value is Json {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

/** The extension of a colour token that holds its value on a dark background (DTCG format, "$extensions", reverse domain name). */
const DARK = 'dev.verbalis.dark';

/**
 * Reads `theme.tokens.json` in the Design Tokens Community Group format: groups of `{"$type", "$value"}`, `$type` inherited from groups,
 * aliases as `{group.token}`. Tokens that the file leaves out keep their usual value.
 */
export function readTheme(file: string, text: string, problems: Problem[]): Theme {
  const source = new SourceText(file, text);
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch {
    const fault = jsonFault(text);
    problems.push(problem('json', source.place(fault.offset, fault.length), `This is not valid JSON: ${fault.message}.`));
    return USUAL_THEME;
  }
  if (depthOf(json) > MAX_DEPTH) {
    problems.push(problem('nesting', source.whole, `This file nests deeper than ${MAX_DEPTH} levels.`));
    return USUAL_THEME;
  }
  const tokens = new Map<string, Json>();
  collect(json, '', tokens);
  const place = (name: string): ReturnType<SourceText['place']> => {
    const key = `"${name.slice(name.lastIndexOf('.') + 1)}"`;
    return source.place(Math.max(0, text.indexOf(key)), key.length);
  };
  const value = (raw: unknown, name: string, depth = 0): unknown => {
    const alias = typeof raw === 'string' ? /^\{([^{}]+)\}$/.exec(raw)?.[1] : undefined;
    if (alias === undefined) return raw;
    const target = tokens.get(alias);
    if (target === undefined || depth > 16) {
      problems.push(problem('token-alias', place(name), `"${alias}" names no token.`, didYouMean(alias, tokens.keys())));
      return undefined;
    }
    return value(target['$value'], name, depth + 1);
  };
  const given = new Map<Color, GivenColor>();
  const font = { ...USUAL_THEME.font } as Record<string, string>;
  const size = { ...USUAL_THEME.size } as Record<string, number>;
  const space = { ...USUAL_THEME.space } as Record<string, number>;
  for (const [name, token] of tokens) {
    const [group = '', key = '', ...rest] = name.split('.');
    const table = { color: COLORS as readonly string[], font: Object.keys(font), size: Object.keys(size), space: Object.keys(space) }[
      group
    ];
    if (table === undefined) continue;
    if (!table.includes(key) || rest.length > 0) {
      problems.push(warning('token-unknown', place(name), `Nothing uses the token "${name}".`, didYouMean(key, table)));
      continue;
    }
    const own = value(token['$value'], name);
    if (group === 'color') {
      const light = hex(own);
      const extensions = token['$extensions'];
      const darkRaw = isRecord(extensions) ? extensions[DARK] : undefined;
      const dark = darkRaw === undefined ? undefined : hex(value(darkRaw, name));
      if (light === undefined || (darkRaw !== undefined && dark === undefined))
        problems.push(problem('token-color', place(name), `"${name}" must be a colour like "#0f766e".`));
      else given.set(key as Color, { light, dark });
    } else if (group === 'font') {
      const family = Array.isArray(own)
        ? own.map((family) => (/^[a-z-]+$/i.test(String(family)) ? String(family) : `'${String(family)}'`)).join(', ')
        : own;
      if (typeof family !== 'string' || /[;{}<>"\\]/.test(family))
        problems.push(problem('token-font', place(name), `"${name}" must be a font family or a list of them.`));
      else font[key] = family;
    } else {
      const pixels = dimension(own);
      if (pixels === undefined)
        problems.push(problem('token-dimension', place(name), `"${name}" must be a dimension in px, like {"value": 16, "unit": "px"}.`));
      else (group === 'size' ? size : space)[key] = pixels;
    }
  }
  return { color: derivedColors(given), font, size, space } as unknown as Theme;
}

function collect(node: unknown, path: string, out: Map<string, Json>): void {
  if (!isRecord(node)) return;
  if ('$value' in node) {
    out.set(path, node);
    return;
  }
  for (const [name, child] of Object.entries(node)) {
    if (!name.startsWith('$')) collect(child, path === '' ? name : `${path}.${name}`, out);
  }
}

function hex(value: unknown): string | undefined {
  if (typeof value === 'string') {
    const short = /^#([0-9a-f])([0-9a-f])([0-9a-f])$/i.exec(value);
    if (short !== null)
      return `#${short
        .slice(1)
        .map((text) => text + text)
        .join('')}`.toLowerCase();
    return /^#[0-9a-f]{6}$/i.test(value) ? value.toLowerCase() : undefined;
  }
  if (!isRecord(value)) return undefined;
  if (typeof value['hex'] === 'string') return hex(value['hex']);
  const parts = value['components'];
  if (value['colorSpace'] !== 'srgb' || !Array.isArray(parts) || parts.length !== 3) return undefined;
  return `#${parts
    .map((part) =>
      Math.round(Math.min(1, Math.max(0, Number(part))) * 255)
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')}`;
}

function dimension(value: unknown): number | undefined {
  if (typeof value === 'string') {
    const found = /^(\d{1,4}(?:\.\d+)?)px$/.exec(value);
    return found === null ? undefined : Number(found[1]);
  }
  return isRecord(value) && typeof value['value'] === 'number' && value['unit'] === 'px' ? value['value'] : undefined;
}
