import assert from 'node:assert/strict';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { after, describe, it } from 'node:test';
import { Command } from 'commander';
import { addCompletionCommand } from '../src/platform/completion.ts';
import { readJsonFile, readPairs, readTextFile, writeNewFile } from '../src/platform/files.ts';
import { faint, megabytes, plural, show, table } from '../src/platform/output.ts';
import { localProblem, Problem, problemLines } from '../src/platform/problem.ts';
import { printed } from './printed.ts';

function refusal(work: () => unknown): Problem {
  try {
    work();
  } catch (error) {
    assert.ok(error instanceof Problem);
    return error;
  }
  return assert.fail('nothing was refused');
}

describe('what the command line prints', () => {
  it('is a table whose numbers stand to the right, with nothing at the ends of lines', () => {
    const rows = [
      { name: 'Q001', rows: 1_225, reason: null },
      { name: 'Q017 Sallow Pier', rows: 3, reason: 'no rows' },
    ];
    const text = printed(() =>
      table(rows, [
        { heading: 'recipient', cell: (one) => one.name },
        { heading: 'rows', cell: (one) => one.rows, isNumber: true },
        { heading: 'reason', cell: (one) => one.reason },
      ]),
    );
    assert.deepEqual(text.split('\n'), [
      'recipient          rows  reason',
      'Q001              1,225',
      'Q017 Sallow Pier      3  no rows',
      '',
    ]);
  });

  it('cannot steer the terminal with what came from elsewhere', () => {
    const evil = 'a\u001b]0;title\u0007\u009b31m\rb';
    const text = printed(() => table([evil], [{ heading: 'name', cell: (one) => one }]));

    assert.doesNotMatch(text, /[\u0000-\u0009\u000b-\u001f\u007f-\u009f]/);
    assert.match(text, /a�\]0;title��31m�b/);
    const lines = problemLines(localProblem('NOT_FOUND', `no \`${evil}\``, { hint: evil }));

    assert.doesNotMatch(lines.join('\n'), /[\u0000-\u0009\u000b-\u001f\u007f-\u009f]/);
  });

  it('is JSON where asked, and words where not', () => {
    const said = (args: string[]) =>
      printed(() => {
        const program = new Command().option('--json');
        program.command('list').action((_, command: Command) => show(command, { rows: 3 }, () => faint('three rows')));
        program.parse(args, { from: 'user' });
      });
    assert.deepEqual(JSON.parse(said(['--json', 'list'])), { rows: 3 });
    assert.equal(said(['list']), '');
    assert.equal(faint('no colour here'), 'no colour here', 'a file is no terminal');
  });

  it('counts and measures in words', () => {
    assert.deepEqual(
      [plural(1, 'copy', 'copies'), plural(1_200, 'copy', 'copies'), plural(0, 'row')],
      ['1 copy', '1,200 copies', '0 rows'],
    );
    assert.deepEqual([megabytes(480_400), megabytes(2_340_000)], ['480 kB', '2.3 MB']);
  });

  it('says of a problem where it is, what helps, and its code', () => {
    const document = { position: { line: 3, column: 14, offset: 40 }, hint: 'close the bracket' };
    assert.deepEqual(problemLines(localProblem('INPUT_INVALID', 'the filter ends too early', document)), [
      'error: the filter ends too early',
      '  at line 3, column 14',
      '  hint: close the bracket',
      '  code: INPUT_INVALID',
    ]);
    const problems = [
      { at: '/list', message: 'is missing' },
      { at: '/bind', message: 'names no column', hint: 'quay' },
    ];
    assert.deepEqual(problemLines(localProblem('INPUT_INVALID', 'two things', { problems })).slice(1, 3), [
      '  /list: is missing',
      '  /bind: names no column (quay)',
    ]);
    assert.match(problemLines(localProblem('NOT_FOUND', 'no', { nearest: ['quays'] })).join(), /Did you mean “quays”/);
  });

  it('ends with a code that scripts can tell apart', () => {
    const codes = (['INPUT_INVALID', 'NOT_ALLOWED', 'NOT_FOUND'] as const).map((one) => localProblem(one, '').exitCode);
    assert.deepEqual(codes, [2, 3, 4]);
  });
});

describe('files that the command line reads and writes', () => {
  const folder = mkdtempSync(join(tmpdir(), 'underbell-cli-'));
  after(() => rmSync(folder, { recursive: true }));
  const file = (name: string, text: string) => {
    const path = join(folder, name);
    writeFileSync(path, text);
    return path;
  };

  it('are refused with the place where they stop being JSON', () => {
    assert.deepEqual(readJsonFile(file('good.json', '{"a": 1}')), { a: 1 });
    const { document } = refusal(() => readJsonFile(file('bad.json', '{\n  "a": 1,\n  b\n}')));
    assert.equal(document.code, 'INPUT_INVALID');
    assert.deepEqual([document.position?.line, document.position?.column], [3, 3]);
    assert.equal(refusal(() => readTextFile(join(folder, 'none'))).document.code, 'NOT_FOUND');
  });

  it('are never written over', () => {
    const path = join(folder, 'new.txt');
    writeNewFile(path, 'first');
    assert.equal(refusal(() => writeNewFile(path, 'second')).document.code, 'NAME_TAKEN');
    assert.equal(readFileSync(path, 'utf8'), 'first');
  });

  it('may be told names and values, also with signs in them', () => {
    assert.deepEqual(readPairs(['quay=Q017', 'where=a=b'], '--set'), { quay: 'Q017', where: 'a=b' });
    const { document } = refusal(() => readPairs(['=x'], '--set'));
    assert.deepEqual([document.code, document.pointer, document.word], ['INPUT_INVALID', '--set', '=x']);
  });
});

describe('completion', () => {
  it('knows every command with its options, as they are', () => {
    const program = new Command('underbell').option('--json');
    program.command('burst').command('run <name>').option('--only <recipient>');
    program.command('whoami').option('--all');
    addCompletionCommand(program);
    const script = printed(() => program.parse(['completion'], { from: 'user' }));
    assert.match(script, /"burst run"\) words="--only --json --help"/);
    assert.match(script, /"whoami "\*\) words="--all --json --help"/);
    assert.match(script, /1\) words="burst whoami completion --json"/);
  });
});
