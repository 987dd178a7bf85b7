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
    { heading: 'uploaded', cell: (one) => `${shortTime(one.at)} by ${one.by}` },
  ]);
  line(usedBy.length > 0 ? `Used by: ${usedBy.join(', ')}.` : 'Not used by a playlist.');
}

export function addMediaCommands(program: Command): void {
  const media = program.command('media').description('Images and videos');
  media
    .command('upload <file>')
    .description('Upload an image or video, or its next version')
    .requiredOption('--name <name>', 'media; created if it does not exist')
    .option('--title <title>', 'title')
    .addHelpText(
      'after',
      '\nExample:\n  underbell media upload harbour.svg --name harbour-map --title "Map of the harbour"',
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
    .description('List images and videos')
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
    .description('Show versions and use')
    .action(async (name: string, _options, command: Command) => {
      show(command, await callApi<ShownMedia>('GET', pathOf(name)), tell);
    });
  media
    .command('set-title <name> <title>')
    .description('Set the title')
    .action(async (name: string, title: string, _options, command: Command) => {
      show(command, await callApi<ShownMedia>('PUT', `${pathOf(name)}/title`, { body: { title } }), tell);
    });
  media
    .command('download <name>')
    .description('Download the file')
    .option('--file-version <number>', 'version; default: the newest')
    .option('--thumbnail', 'thumbnail (WebP)')
    .option('--out <file>', 'file; default: its own name')
    .action(
      async (name: string, options: { fileVersion?: string; thumbnail?: true; out?: string }, command: Command) => {
        const found = await callApi<ShownMedia>('GET', pathOf(name));
        const version =
          options.fileVersion === undefined
            ? found.newest
            : found.versions.find((one) => String(one.number) === options.fileVersion);
        const fileName = basename(version?.fileName ?? found.newest.fileName);
        const out = options.out ?? (options.thumbnail ? `${parse(fileName).name}-small.webp` : fileName);
        const query = options.fileVersion === undefined ? {} : { version: options.fileVersion };
        await fetchFile(`${pathOf(name)}/${options.thumbnail ? 'thumbnail' : 'file'}`, query, out);
        show(command, { written: out }, () => line(`Written to ${out}.`));
      },
    );
}
