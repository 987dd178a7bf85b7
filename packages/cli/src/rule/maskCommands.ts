import type { Command } from 'commander';
import { maskWords, type Mask, type MaskEffect } from '@underbell/core/access';
import { collect } from '../platform/files.ts';
import { line, show, table } from '../platform/output.ts';
import { localProblem } from '../platform/problem.ts';
import { callApi } from '../platform/service.ts';

const path = (dataset: string, name = '') =>
  `/api/v1/datasets/${encodeURIComponent(dataset)}/masks${name === '' ? '' : `/${encodeURIComponent(name)}`}`;

interface AddOptions {
  readonly hide?: string;
  readonly coarsen?: string;
  readonly by?: string;
  readonly smallest?: string;
  readonly group?: string;
  readonly person?: string;
  readonly place?: string;
  readonly except: string[];
}

/** `month`, `step:100` or `column:district`. */
function readCoarsening(text: string): (MaskEffect & { kind: 'coarsen' })['by'] {
  const [, kind, value] = /^(step|column):(.+)$/.exec(text) ?? [];
  if (kind === 'step') return { to: 'band', width: Number(value) };
  if (kind === 'column') return { to: 'column', column: value! };
  return { to: text as 'month' };
}

function readEffect(options: AddOptions): MaskEffect {
  if (options.hide !== undefined) return { kind: 'hide', column: options.hide };
  if (options.smallest !== undefined) return { kind: 'small groups', rows: Number(options.smallest) };
  if (options.coarsen !== undefined && options.by !== undefined)
    return { kind: 'coarsen', column: options.coarsen, by: readCoarsening(options.by) };
  throw localProblem('INPUT_INVALID', 'say what the mask does', {
    hint: 'one of --hide COLUMN, --coarsen COLUMN --by month|step:100|column:NAME, --smallest ROWS',
  });
}

function readHolder(options: AddOptions): object {
  if (options.group) return { kind: 'group', name: options.group };
  if (options.person) return { kind: 'person', name: options.person };
  return options.place ? { kind: 'place', name: options.place } : { kind: 'everyone' };
}

export function addMaskCommands(program: Command): void {
  const mask = program.command('mask').description('columns hidden or coarsened, small groups kept back');
  mask
    .command('list <dataset>')
    .description('the masks of a dataset')
    .action(async (dataset: string, _options, command: Command) => {
      const answer = await callApi<{ masks: Mask[] }>('GET', path(dataset));
      show(command, answer, ({ masks }) => {
        if (masks.length === 0) return line('Nothing is masked.');
        table(masks, [
          { heading: 'mask', cell: (one) => one.name },
          {
            heading: 'for',
            cell: (one) =>
              one.appliesTo.kind === 'everyone' ? 'everyone' : `${one.appliesTo.kind} ${one.appliesTo.name}`,
          },
          { heading: 'but not', cell: (one) => one.except.join(', ') },
          { heading: 'effect', cell: (one) => maskWords(one.effect) },
        ]);
      });
    });
  mask
    .command('add <dataset> <name>')
    .description('save a mask; without --group, --person or --place it is for everyone')
    .option('--hide <column>', 'hide a column')
    .option('--coarsen <column>', 'show something coarser in a column')
    .option('--by <how>', 'day, month, quarter, year, step:100 or column:NAME')
    .option('--smallest <rows>', 'keep groups of fewer rows back')
    .option('--group <name>', 'for the members of a group')
    .option('--person <email>', 'for one person')
    .option('--place <kind>', 'for a kind of place: portal, channel, app, screen, link or burst')
    .option('--except <group>', 'a group that is spared; may be repeated', collect, [])
    .addHelpText(
      'after',
      '\nExample:\n  underbell mask add sailings fares-in-steps --coarsen fares --by step:100 --group "District leads"',
    )
    .action(async (dataset: string, name: string, options: AddOptions, command: Command) => {
      const body = { appliesTo: readHolder(options), except: options.except, effect: readEffect(options) };
      const answer = await callApi<{ mask: Mask }>('PUT', path(dataset, name), { body });
      show(command, answer, () => line(`The mask ${name} of ${dataset} is saved.`));
    });
  mask
    .command('remove <dataset> <name>')
    .description('remove a mask')
    .action(async (dataset: string, name: string, _options, command: Command) => {
      await callApi('DELETE', path(dataset, name));
      show(command, { removed: name }, () => line(`The mask ${name} of ${dataset} is removed.`));
    });
}
