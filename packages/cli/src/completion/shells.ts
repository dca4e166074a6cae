import type { CommandNode, OptionNode } from './tree.js';

/** Shells that can be completed for. */
export const SHELLS = ['bash', 'zsh', 'fish'] as const;
export type Shell = (typeof SHELLS)[number];

/** A text in single quotes, as all three shells read it but for the quote itself. */
const quoted = (text: string): string => `'${text.replaceAll("'", "'\\''")}'`;

/** The first part of a description, for a line of a menu. */
const short = (text: string): string => text.replace(/^[a-z ]+: /, '').split(/[.;]/)[0] ?? text;

const pathKey = (path: readonly string[]): string => path.join(' ');

/**
 * For bash (programmable completion, bash 4 and later). The words before the cursor choose the command; then its commands and options are offered,
 * or the values of the option before.
 */
function bash(tree: readonly CommandNode[]): string {
  const isCommand = tree.slice(1).map(({ path }) => quoted(pathKey(path)));
  const offers = tree.map(
    ({ path, commands, options }) =>
      `    ${quoted(pathKey(path))}) offered=${quoted([...commands.map(({ name }) => name), ...options.map(({ name }) => name), '--help'].join(' '))} ;;`,
  );
  const values = (options: readonly OptionNode[], path: readonly string[]): string[] =>
    options
      .filter(({ takesValue }) => takesValue)
      .map(({ name, choices, isPath }) => {
        const what = isPath
          ? 'COMPREPLY=($(compgen -f -- "$word")); compopt -o filenames 2>/dev/null'
          : `COMPREPLY=($(compgen -W ${quoted(choices.join(' '))} -- "$word"))`;
        return `    ${quoted(pathKey([...path, name]))}) ${what}; return ;;`;
      });
  return `# Completion of verbalis for bash, made by: verbalis completion bash
_verbalis() {
  local word="\${COMP_WORDS[COMP_CWORD]}" before="\${COMP_WORDS[COMP_CWORD-1]}" path='' next offered i
  COMPREPLY=()
  for ((i = 1; i < COMP_CWORD; i++)); do
    next="\${path:+$path }\${COMP_WORDS[i]}"
    case "$next" in
    ${isCommand.join('|')}) path="$next" ;;
    esac
  done
  case "\${path:+$path }$before" in
${tree.flatMap(({ path, options }) => values(options, path)).join('\n')}
  esac
  case "$path" in
${offers.join('\n')}
  esac
  COMPREPLY=($(compgen -W "$offered" -- "$word"))
  # Arguments of commands may be files.
  if [ \${#COMPREPLY[@]} -eq 0 ]; then COMPREPLY=($(compgen -f -- "$word")); compopt -o filenames 2>/dev/null; fi
}
complete -F _verbalis verbalis
`;
}

/** For zsh: a function for compinit, with descriptions. */
function zsh(tree: readonly CommandNode[]): string {
  const described = (name: string, description: string): string => quoted(`${name.replaceAll(':', '\\:')}:${short(description)}`);
  const isCommand = tree.slice(1).map(({ path }) => quoted(pathKey(path)));
  const offers = tree.map(({ path, commands, options }) => {
    const items = [...commands, ...options].map(({ name, description }) => described(name, description));
    return `    ${quoted(pathKey(path))}) offered=(${items.join(' ')}) ;;`;
  });
  const values = tree.flatMap(({ path, options }) =>
    options
      .filter(({ takesValue }) => takesValue)
      .map(
        ({ name, choices, isPath }) =>
          `    ${quoted(pathKey([...path, name]))}) ${isPath ? '_files' : choices.length === 0 ? ':' : `compadd -- ${choices.map(quoted).join(' ')}`}; return ;;`,
      ),
  );
  return `#compdef verbalis
# Completion of verbalis for zsh, made by: verbalis completion zsh
_verbalis() {
  local before="\${words[CURRENT-1]}" at='' next i
  local -a offered
  for ((i = 2; i < CURRENT; i++)); do
    next="\${at:+$at }\${words[i]}"
    case "$next" in
    ${isCommand.join('|')}) at="$next" ;;
    esac
  done
  case "\${at:+$at }$before" in
${values.join('\n')}
  esac
  case "$at" in
${offers.join('\n')}
  esac
  _describe -t commands verbalis offered || _files
}
if [ "\${funcstack[1]}" = _verbalis ]; then _verbalis "$@"; else compdef _verbalis verbalis; fi
`;
}

/** For fish: a line for each command and each option. */
function fish(tree: readonly CommandNode[]): string {
  const fishQuoted = (text: string): string => `'${text.replaceAll('\\', '\\\\').replaceAll("'", "\\'")}'`;
  const lines = tree.flatMap(({ path, commands, options }) => {
    const on = `-n ${fishQuoted(`__verbalis_at ${pathKey(path)}`.trim())}`;
    return [
      ...commands.map(({ name, description }) => `complete -c verbalis -f ${on} -a ${name} -d ${fishQuoted(short(description))}`),
      ...options.map(({ name, description, takesValue, isPath, choices }) => {
        const value = !takesValue ? '' : isPath ? ' -r -F' : choices.length === 0 ? ' -x' : ` -x -a ${fishQuoted(choices.join(' '))}`;
        return `complete -c verbalis ${on} -l ${name.slice(2)}${value} -d ${fishQuoted(short(description))}`;
      }),
    ];
  });
  const isCommand = tree.slice(1).map(({ path }) => fishQuoted(pathKey(path)));
  return `# Completion of verbalis for fish, made by: verbalis completion fish
function __verbalis_at
  set -l at
  for word in (commandline -opc)[2..-1]
    if contains -- (string trim "$at $word") ${isCommand.join(' ')}
      set at (string trim "$at $word")
    end
  end
  test "$at" = "$argv"
end
${lines.join('\n')}
`;
}

/** The script that a shell reads. */
export function scriptOf(shell: Shell, tree: readonly CommandNode[]): string {
  return { bash, zsh, fish }[shell](tree);
}
