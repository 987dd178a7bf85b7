import assert from 'node:assert/strict';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, it } from 'node:test';
import type { Command } from 'commander';
import { root } from '../../../scripts/install.mjs';
import { referenceOf } from '../src/platform/reference.ts';
import { createProgram } from '../src/program.ts';

interface Known {
  readonly path: string;
  readonly command: Command;
}

const below = (command: Command, path = ''): Known[] =>
  command.commands.flatMap((one) => {
    const own = `${path} ${one.name()}`.trim();
    return [{ path: own, command: one as Command }, ...below(one as Command, own)];
  });

const oldNouns =
  /^(open|bin|find|follow|former-name|rule|person|attribute|grant|request|audit|see|see-recipient|place|chat|tab|holidays|calendar|meter|copies)$/;
const program = createProgram();
const all = below(program);

/** Files below a folder with one of some endings. */
const filesIn = (folder: string, endings: readonly string[]): string[] =>
  readdirSync(join(root, folder), { withFileTypes: true }).flatMap((entry) => {
    const path = `${folder}/${entry.name}`;
    if (entry.isDirectory())
      return ['node_modules', 'dist', 'migrations'].includes(entry.name) ? [] : filesIn(path, endings);
    return endings.some((end) => path.endsWith(end)) ? [path] : [];
  });

/** What is wrong with a command that somebody is told to type; nothing when the program knows all of it. */
function faultIn(typed: string): string | undefined {
  const words = typed.split(/\s+/).filter((word) => word !== '');
  let known: Command = program;
  for (const word of words) {
    const next = known.commands.find((one) => one.name() === word);
    if (!next) break;
    known = next as Command;
  }
  if (known === program) return words[0]?.startsWith('-') ? undefined : 'no such command';
  const verb = words[1];
  // A noun alone is named, not typed.
  if (known.commands.length > 0 && verb !== undefined && /^[a-z]/.test(verb) && known.registeredArguments.length === 0)
    return 'no such command';
  const options = new Set([...program.options, ...known.options].flatMap(({ long }) => (long ? [long] : [])));
  const unknown = [...typed.matchAll(/(?<=\s)--[a-z-]+/g)].map(([one]) => one).find((one) => !options.has(one));
  return unknown === undefined || unknown === '--help' ? undefined : `no option ${unknown}`;
}

describe('the command line', () => {
  it('has a reference that is complete', () => {
    const written = readFileSync(join(root, 'docs/command-line.md'), 'utf8');
    assert.equal(written, referenceOf(program), 'run: npm run reference');
  });

  it('says what each command does, in the imperative and in few words', () => {
    assert.ok(all.length > 200, String(all.length));
    for (const { path, command } of all) {
      const text = command.description();
      assert.match(text, /^[A-Z]/, path);
      assert.doesNotMatch(text, /\.$/, path);
      assert.ok(text.split(' ').length <= 12, `${path}: ${text}`);
      for (const option of command.options) {
        assert.notEqual(option.description, '', `${path} ${option.flags}`);
        assert.doesNotMatch(option.description, /may be repeated|when left out|such as|\.$/, `${path} ${option.flags}`);
      }
    }
  });

  it('uses one word for each action and each option', () => {
    const old =
      / (add|remove|take|load|back|hook|end|change|define|look|find)$|^(open|bin|follow|rule|person|attribute|grant|request|audit|see|place|chat|tab|holidays|calendar|meter|copies)( |$)/;
    assert.deepEqual(
      all.map(({ path }) => path).filter((path) => old.test(path)),
      [],
    );
    const options = new Set(all.flatMap(({ command }) => command.options.map((one) => one.long)));
    for (const one of [
      '--where',
      '--person',
      '--confirm',
      '--off',
      '--none',
      '--words',
      '--zone',
      '--rule',
      '--again',
      '--only',
    ])
      assert.ok(!options.has(one), one);
    const sure = all.filter(({ command }) => command.options.some((one) => one.long === '--yes'));
    assert.deepEqual(
      sure.map(({ path }) => path),
      ['access revoke'],
    );
  });

  it('knows every command that documents, help texts and hints name', () => {
    const files = [
      'README.md',
      ...filesIn('docs', ['.md']),
      ...filesIn('packages/cli/src', ['.ts']),
      ...filesIn('packages/service/src', ['.ts']),
      ...filesIn('packages/console/src', ['.vue', '.ts']),
      ...filesIn('scripts', ['.ts']),
    ];
    const faults = [];
    let named = 0;
    for (const file of files) {
      const text = readFileSync(join(root, file), 'utf8').replaceAll('\\\n', ' ');
      for (const [, typed] of text.matchAll(/(?<![\w@/-])underbell ((?:[a-z-]+)(?:[^`'\n|#\\]|\\(?!n))*)/g)) {
        const [first] = typed!.split(' ');
        // Prose may go on after the name of the program; a noun of before is a fault.
        if (!all.some(({ path }) => path.split(' ')[0] === first) && !oldNouns.test(first!)) continue;
        named++;
        const fault = faultIn(typed!.replace(/\$\{[^}]*\}/g, 'X').replace(/\.(?=\s|$|').*/, ''));
        if (fault) faults.push(`${file}: ${typed!.trim().slice(0, 90)}: ${fault}`);
      }
    }
    assert.deepEqual(faults, []);
    assert.ok(named > 150, String(named));
    // The check can fail.
    for (const noun of ['grant', 'person', 'meter'])
      assert.deepEqual([oldNouns.test(noun), faultIn(`${noun} list`)], [true, 'no such command']);
    assert.equal(faultIn('burst plan quay-pack'), 'no such command');
    assert.equal(faultIn('burst preview quay-pack --again'), 'no option --again');
  });
});
