import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { contrast, derivedColors, LEAST_CONTRAST, USUAL_THEME, type Color } from './index.js';

const PAIRS: readonly (readonly [Color, Color])[] = [
  ['text', 'surface'],
  ['soft', 'surface'],
  ['link', 'surface'],
  ['onAccent', 'accent'],
  ['onInfo', 'info'],
  ['onGood', 'good'],
  ['onWarning', 'warning'],
  ['onDanger', 'danger'],
];

test('a theme that says nothing is the usual one', () => {
  expect(derivedColors(new Map())).toEqual(USUAL_THEME.color);
});

test('a theme with an accent only has colours that read well, in the light and in the dark', () => {
  const hex = fc.stringMatching(/^#[0-9a-f]{6}$/);
  fc.assert(
    fc.property(hex, (accent) => {
      const made = derivedColors(new Map([['accent', { light: accent, dark: undefined }]]));
      expect(made.accent.light).toBe(accent);
      expect(contrast(made.accent.dark, made.surface.dark)).toBeGreaterThanOrEqual(LEAST_CONTRAST);
      for (const scheme of ['light', 'dark'] as const)
        for (const [letters, ground] of PAIRS)
          expect(contrast(made[letters][scheme], made[ground][scheme])).toBeGreaterThanOrEqual(LEAST_CONTRAST);
    }),
  );
});

test('what a theme gives stays, and what stands on it follows', () => {
  const made = derivedColors(
    new Map([
      ['surface', { light: '#222222', dark: '#eeeeee' }],
      ['soft', { light: '#777777', dark: undefined }],
    ]),
  );
  expect(made.surface).toEqual({ light: '#222222', dark: '#eeeeee' });
  expect(made.soft.light).toBe('#777777');
  for (const scheme of ['light', 'dark'] as const)
    expect(contrast(made.text[scheme], made.surface[scheme])).toBeGreaterThanOrEqual(LEAST_CONTRAST);
});
