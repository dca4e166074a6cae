import { readStructure, type CssItem } from '../css/index.js';
import type { MailProject } from '../folder/index.js';
import { SourceText, suggestion, type Problem } from '../problems/index.js';
import { CSS_FEATURES, FAMILY_WORDS } from './clients.js';

/** What some clients do not do with the style sheets that are laid over Markdown mails; what holds under a condition only is left alone. */
export function adviseSheets(project: MailProject): Problem[] {
  const used = [...project.styles].filter(
    ([path]) =>
      project.settings.styles.includes(path) ||
      [...project.templates.values()].some(({ sources }) =>
        [...sources.values()].some(({ kind, text }) => kind === 'md' && text.includes(path)),
      ),
  );
  return used.flatMap(([path, text]) => {
    const source = new SourceText(path, text);
    return declarationsIn(readStructure(text)).flatMap((item) =>
      CSS_FEATURES.filter(
        ({ property, value, element }) =>
          element === undefined &&
          (property?.test(item.property) ?? true) &&
          (value?.test(item.value) ?? true) &&
          !/^(?:mso-|-)/.test(item.property),
      )
        // What comes with a colour or value before it is harmless; one look at the rule cannot tell.
        .filter(({ fallback }) => fallback !== true)
        .map(({ families, instead, note }) =>
          suggestion(
            'css-support',
            source.place(item.from, item.to - item.from),
            `"${item.property}: ${item.value.slice(0, 40)}" is ignored by ${families.map((family) => FAMILY_WORDS[family]).join('; ')}: there, ${instead}.`,
            note,
          ),
        ),
    );
  });
}

function declarationsIn(items: readonly CssItem[]): Extract<CssItem, { kind: 'declaration' }>[] {
  return items.flatMap((item) => {
    if (item.kind === 'declaration') return [item];
    return item.kind === 'rule' ? declarationsIn(item.body) : [];
  });
}
