import { basename, parse } from 'node:path';
import type { ListedMedia, MediaVersion, ShownMedia } from '@underbell/core/media';
import type { Command } from 'commander';
import { line, megabytes, shortTime, show, table } from '../platform/output.ts';
import { callApi, fetchFile } from '../platform/service.ts';

const pathOf = (name: string) => `/api/v1/media/${encodeURIComponent(name)}`;
const sizeOf = ({ width, height }: MediaVersion) => (width === null ? '' : `${width} × ${height}`);

function tell({ name, title, versions, usedBy }: ShownMedia): void {
  line(`${title} (${name})`);
  table(versions, [
    { heading: 'version', cell: (one) => one.number, isNumber: true },
    { heading: 'file', cell: (one) => one.fileName },
    { heading: 'type', cell: (one) => one.type },
    { heading: 'pixels', cell: sizeOf },
    { heading: 'size', cell: (one) => megabytes(one.sizeBytes), isNumber: true },
    { heading: 'put in', cell: (one) => `${shortTime(one.at)} by ${one.by}` },
  ]);
  line(usedBy.length > 0 ? `Shown by ${usedBy.join(', ')}.` : 'Shown by no playlist.');
}

export function addMediaCommands(program: Command): void {
  const media = program.command('media').description('pictures and videos that screens show');
  media
    .command('add <file>')
    .description('put a picture (PNG, JPEG, WebP, SVG) or video (MP4, WebM) in, new or as the next version')
    .requiredOption('--name <name>', 'its name, made when it is new')
    .option('--title <title>', 'what people call it')
    .addHelpText(
      'after',
      '\nExample:\n  underbell media add harbour.svg --name harbour-map --title "Map of the harbour"',
    )
    .action(async (file: string, options: { name: string; title?: string }, command: Command) => {
      const { name, title } = options;
      const answer = await callApi<ShownMedia>('PUT', pathOf(name), {
        query: { file: basename(file), ...(title === undefined ? {} : { title }) },
        file: { path: file, type: 'application/octet-stream' },
      });
      show(command, answer, tell);
    });
  media
    .command('list')
    .description('those that you may see')
    .action(async (_options, command: Command) => {
      const answer = await callApi<{ media: ListedMedia[] }>('GET', '/api/v1/media');
      show(command, answer, (found) =>
        table(found.media, [
          { heading: 'name', cell: (one) => one.name },
          { heading: 'title', cell: (one) => one.title },
          { heading: 'version', cell: (one) => one.newest.number, isNumber: true },
          { heading: 'type', cell: (one) => one.newest.type },
          { heading: 'pixels', cell: (one) => sizeOf(one.newest) },
          { heading: 'size', cell: (one) => megabytes(one.newest.sizeBytes), isNumber: true },
        ]),
      );
    });
  media
    .command('show <name>')
    .description('one of them: its versions, and what shows it')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownMedia>('GET', pathOf(name)), tell);
    });
  media
    .command('title <name> <title>')
    .description('give it another title')
    .action(async (name: string, title: string, _options, command: Command) => {
      show(command, await callApi<ShownMedia>('PUT', `${pathOf(name)}/title`, { body: { title } }), tell);
    });
  media
    .command('fetch <name>')
    .description('write the file down')
    .option('--at-version <number>', 'one of its versions; the newest when left out')
    .option('--small', 'a small picture of it (WebP) instead')
    .option('--out <file>', 'where to; under its own name here when left out')
    .action(async (name: string, options: { atVersion?: string; small?: true; out?: string }, command: Command) => {
      const found = await callApi<ShownMedia>('GET', pathOf(name));
      const version =
        options.atVersion === undefined
          ? found.newest
          : found.versions.find((one) => String(one.number) === options.atVersion);
      const fileName = basename(version?.fileName ?? found.newest.fileName);
      const out = options.out ?? (options.small ? `${parse(fileName).name}-small.webp` : fileName);
      const query = options.atVersion === undefined ? {} : { version: options.atVersion };
      await fetchFile(`${pathOf(name)}/${options.small ? 'thumbnail' : 'file'}`, query, out);
      show(command, { written: out }, () => line(`Written to ${out}.`));
    });
}
