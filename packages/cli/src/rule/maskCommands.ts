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
  readonly reduce?: string;
  readonly to?: string;
  readonly minGroupSize?: string;
  readonly group?: string;
  readonly user?: string;
  readonly placementType?: string;
  readonly except: string[];
}

/** `month`, `step:100` or `column:district`. */
function readReduction(text: string): (MaskEffect & { kind: 'coarsen' })['by'] {
  const [, kind, value] = /^(step|column):(.+)$/.exec(text) ?? [];
  if (kind === 'step') return { to: 'band', width: Number(value) };
  if (kind === 'column') return { to: 'column', column: value! };
  return { to: text as 'month' };
}

function readEffect(options: AddOptions): MaskEffect {
  if (options.hide !== undefined) return { kind: 'hide', column: options.hide };
  if (options.minGroupSize !== undefined) return { kind: 'small groups', rows: Number(options.minGroupSize) };
  if (options.reduce !== undefined && options.to !== undefined)
    return { kind: 'coarsen', column: options.reduce, by: readReduction(options.to) };
  throw localProblem('INPUT_INVALID', 'Specify one effect.', {
    hint: '--hide COLUMN, --reduce COLUMN --to month|step:100|column:NAME, or --min-group-size ROWS',
  });
}

function readHolder(options: AddOptions): object {
  if (options.group) return { kind: 'group', name: options.group };
  if (options.user) return { kind: 'person', name: options.user };
  return options.placementType ? { kind: 'place', name: options.placementType } : { kind: 'everyone' };
}

export function addMaskCommands(program: Command): void {
  const mask = program.command('mask').description('Masks: hide or reduce columns, minimum group size');
  mask
    .command('list <dataset>')
    .description('List the masks of a dataset')
    .action(async (dataset: string, _options, command: Command) => {
      const answer = await callApi<{ masks: Mask[] }>('GET', path(dataset));
      show(command, answer, ({ masks }) => {
        if (masks.length === 0) return line('No masks.');
        table(masks, [
          { heading: 'mask', cell: (one) => one.name },
          {
            heading: 'for',
            cell: (one) =>
              one.appliesTo.kind === 'everyone' ? 'everyone' : `${one.appliesTo.kind} ${one.appliesTo.name}`,
          },
          { heading: 'except', cell: (one) => one.except.join(', ') },
          { heading: 'effect', cell: (one) => maskWords(one.effect) },
        ]);
      });
    });
  mask
    .command('save <dataset> <name>')
    .description('Save a mask; default: for all users')
    .option('--hide <column>', 'hide a column')
    .option('--reduce <column>', 'reduce the detail of a column')
    .option('--to <detail>', 'day, month, quarter, year, step:100 or column:NAME')
    .option('--min-group-size <rows>', 'hide groups with fewer rows')
    .option('--group <name>', 'members of a group')
    .option('--user <email>', 'one user')
    .option('--placement-type <type>', 'portal, channel, app, screen, link or burst')
    .option('--except <group>', 'group without this mask; repeatable', collect, [])
    .addHelpText(
      'after',
      '\nExample:\n  underbell mask save sailings fares-in-steps --reduce fares --to step:100 --group "District leads"',
    )
    .action(async (dataset: string, name: string, options: AddOptions, command: Command) => {
      const body = { appliesTo: readHolder(options), except: options.except, effect: readEffect(options) };
      const answer = await callApi<{ mask: Mask }>('PUT', path(dataset, name), { body });
      show(command, answer, () => line(`Mask “${name}” of dataset “${dataset}” saved.`));
    });
  mask
    .command('delete <dataset> <name>')
    .description('Delete a mask')
    .action(async (dataset: string, name: string, _options, command: Command) => {
      await callApi('DELETE', path(dataset, name));
      show(command, { deleted: name }, () => line(`Mask “${name}” of dataset “${dataset}” deleted.`));
    });
}
