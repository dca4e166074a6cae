import type { DoctorFinding } from '@verbalis/client';
import type { Output } from '../output.js';

/** Findings as lines: what is wrong, where, and what to do. */
export function findingLines(findings: readonly DoctorFinding[], color: Output['color']): string[] {
  const signs = { must: color.red('✕ must  '), should: color.yellow('! should'), good: color.green('✓ good  ') };
  return findings.flatMap(({ level, title, detail, hint }) => [
    `${signs[level]}  ${level === 'good' ? title : color.bold(title)}`,
    ...(detail === undefined ? [] : [`            ${detail}`]),
    ...(hint === undefined ? [] : [`            → ${hint}`]),
  ]);
}
