import type { Argument, Command, Option } from 'commander';

const head = `# Command line

Run \`npx underbell\` in the checkout. The order is \`underbell NOUN VERB NAME\`; \`--help\` after any command prints its options and
examples. \`--json\` prints the answer of the API instead of a table. This page is generated from the program: \`npm run reference\`.

Exit codes: 0 success, 1 failed, 2 invalid input, 3 not allowed, 4 not found, 5 partly done.

Sign-ins are stored by service URL in \`$XDG_CONFIG_HOME/underbell/credentials.json\` (default: \`~/.config\`), or in the file that
\`UNDERBELL_CREDENTIALS\` names. \`UNDERBELL_URL\` selects the service. Without it, the service is that of the data folder
\`UNDERBELL_DATA\`, then the one of the last sign-in, then the demo. \`NO_COLOR\` is respected.
`;

const argumentText = (one: Argument) => {
  const name = `${one.name().toUpperCase()}${one.variadic ? '…' : ''}`;
  return one.required ? name : `[${name}]`;
};

/** A text within a cell of a table. */
const cell = (text: string) => text.replaceAll('|', '\\|').replaceAll('\n', ' ');

/** An option with what it means and its default. */
function optionText({ flags, description, defaultValue, mandatory }: Option): string {
  const isSet = typeof defaultValue === 'string' && defaultValue !== '';
  const notes = [...(mandatory ? ['required'] : []), ...(isSet ? [`default: ${defaultValue}`] : [])];
  return `\`${cell(flags)}\` ${cell(description)}${notes.length > 0 ? ` (${notes.join(', ')})` : ''}`;
}

const nameOf = (command: Command, path: string) =>
  [path, ...command.registeredArguments.map(argumentText)].join(' ').trim();

/** A command and those below it, each with its options. */
function rows(command: Command, path: string): string[] {
  const own = `${path} ${command.name()}`.trim();
  const isNoun = command.commands.length > 0 && command.registeredArguments.length === 0;
  const row = `| \`${nameOf(command, own)}\` | ${cell(command.description())} | ${command.options.map(optionText).join('<br>')} |`;
  const below = [...command.commands].sort((one, other) => one.name().localeCompare(other.name()));
  // A noun that does something of its own has options.
  return [...(isNoun && command.options.length === 0 ? [] : [row]), ...below.flatMap((one) => rows(one, own))];
}

/** The reference of the command line in Markdown, one section for each noun. */
export function referenceOf(program: Command): string {
  const sections = [...program.commands].map((noun) => {
    const title = noun.commands.length > 0 ? `## ${noun.name()}\n\n${noun.description()}.\n` : undefined;
    const table = ['| command | effect | options |', '| --- | --- | --- |', ...rows(noun as Command, '')].join('\n');
    return { title, table, rows: rows(noun as Command, '') };
  });
  const single = sections.filter((one) => one.title === undefined).flatMap((one) => one.rows);
  const general = ['## Session', '', '| command | effect | options |', '| --- | --- | --- |', ...single].join('\n');
  const nouns = sections.flatMap((one) => (one.title === undefined ? [] : [`${one.title}\n${one.table}`]));
  return `${[head, general, ...nouns].join('\n\n').replaceAll('\n\n\n', '\n\n')}\n`;
}
