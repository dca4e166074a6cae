import { createGlobalStyle } from 'styled-components';

/** Names of the console's colours; their values change with the scheme. Spacing is on a 4 px grid. */
export const color = {
  paper: 'var(--paper)',
  raised: 'var(--raised)',
  text: 'var(--text)',
  soft: 'var(--soft)',
  hair: 'var(--hair)',
  accent: 'var(--accent)',
  onAccent: 'var(--on-accent)',
  wash: 'var(--wash)',
  good: 'var(--good)',
  wait: 'var(--wait)',
  bad: 'var(--bad)',
  mark: 'var(--mark)',
} as const;

export const font = {
  serif: "'Literata Variable', Georgia, serif",
  sans: "'Source Sans 3 Variable', 'Segoe UI', sans-serif",
  mono: "'IBM Plex Mono', ui-monospace, monospace",
} as const;

export const wide = '@media (min-width: 900px)';

export const GlobalStyle = createGlobalStyle`
  :root {
    color-scheme: light dark;
    --paper: #fbf9f4; --raised: #ffffff; --text: #1c2733; --soft: #55606b; --hair: #ddd8cc; --wash: #f1ede3;
    --accent: #0f766e; --on-accent: #ffffff;
    --good: #16653f; --wait: #8a5300; --bad: #b3261e; --mark: #2f5d9e;
  }
  @media (prefers-color-scheme: dark) {
    :root {
      --paper: #12181f; --raised: #182029; --text: #e9e4d8; --soft: #a5adb3; --hair: #2d3843; --wash: #1b242d;
      --accent: #4fd1bf; --on-accent: #08231f;
      --good: #6fd39b; --wait: #f0b95c; --bad: #ff9d93; --mark: #9cc0f5;
    }
  }
  * { box-sizing: border-box; }
  body { margin: 0; background: var(--paper); color: var(--text); font: 16px/1.5 ${font.sans}; font-variant-numeric: tabular-nums; }
  h1, h2, h3 { font-family: ${font.serif}; font-weight: 560; line-height: 1.2; margin: 0; text-wrap: balance; overflow-wrap: anywhere; }
  h1 { font-size: 28px; letter-spacing: -0.01em; }
  h2 { font-size: 20px; }
  p { margin: 0; }
  /* Room below a heading, and below a table, for what says nothing else. */
  :where(main > h1) + :where(table, div, form) { margin-top: 16px; }
  :where(h2) + :where(table, form), :where(h2) + p, :where(table) + p { margin-top: 8px; }
  a { color: var(--accent); text-underline-offset: 3px; }
  code, kbd { font-family: ${font.mono}; font-size: 0.9em; }
  :focus-visible { outline: 2px solid var(--accent); outline-offset: 2px; border-radius: 3px; }
  /* Our colours and shadows are not applied: selection and position are shown with those of the system. */
  @media (forced-colors: active) {
    [data-selected]:not(tr) { forced-color-adjust: none; background: Highlight !important; color: HighlightText !important; }
    nav a { border-bottom: 2px none Highlight; }
    nav a[aria-current='page'] { border-bottom-style: solid; }
    button, iframe, pre { border-color: ButtonBorder; }
  }
  @media (prefers-reduced-motion: reduce) { * { animation: none !important; transition: none !important; } }
`;
