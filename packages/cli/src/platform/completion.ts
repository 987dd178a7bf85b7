import type { Command } from 'commander';
import { line } from './output.ts';

function wordsOf(command: Command): string[] {
  return [...command.commands.map((one) => one.name()), ...command.options.flatMap((one) => one.long ?? [])];
}

/** A completion script for bash, made of the commands as they are. */
export function addCompletionCommand(program: Command): void {
  program
    .command('completion')
    .description('Print a shell completion script')
    .addHelpText('after', '\nExample:\n  source <(underbell completion)')
    .action(() => {
      const cases = program.commands.map((noun) => {
        const verbs = noun.commands.map(
          (verb) =>
            `      "${noun.name()} ${verb.name()}") words="${[...wordsOf(verb), '--json', '--help'].join(' ')}" ;;`,
        );
        return [
          ...verbs,
          `      "${noun.name()} "*) words="${[...wordsOf(noun), '--json', '--help'].join(' ')}" ;;`,
        ].join('\n');
      });
      line(`_underbell() {
  local words
  case "$COMP_CWORD" in
    1) words="${wordsOf(program).join(' ')}" ;;
    *) case "\${COMP_WORDS[1]} \${COMP_WORDS[2]}" in
${cases.join('\n')}
    esac ;;
  esac
  COMPREPLY=($(compgen -W "$words" -- "\${COMP_WORDS[COMP_CWORD]}"))
}
complete -o default -F _underbell underbell`);
    });
}
