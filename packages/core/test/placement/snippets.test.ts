import assert from 'node:assert/strict';
import { execFileSync } from 'node:child_process';
import { describe, it } from 'node:test';
import fc from 'fast-check';
import { hostLines } from '../../src/placement/index.ts';
import { casesOf } from '../cases.ts';

const made = (...names: string[]) =>
  hostLines({
    publicUrl: 'https://reports.example',
    name: 'quay-record',
    title: 'Quay &amp; works',
    fields: names.map((name) => ({ name })),
    height: 480,
  });

/** What a shell makes of the last word of the curl lines: the details that would be asked for. */
function asShell(lines: string, values: Readonly<Record<string, string>>): unknown {
  // The command itself is not run: what it would be given is printed.
  const printed = execFileSync('sh', ['-c', lines.replace('curl ', 'printf "%s\\n" ')], {
    env: { ...process.env, ...values },
  });
  const last = printed.toString().trimEnd().split('\n').at(-1)!;
  return JSON.parse(last.slice('authorization_details='.length));
}

describe('what a host pastes', () => {
  it('is right for a shell, whatever the fields are called', () => {
    const { numRuns, seed } = casesOf(15, 19_405);
    const name = fc
      .string({ minLength: 1, maxLength: 12 })
      .filter((text) => text.trim() !== '' && !text.includes('\0'));
    fc.assert(
      fc.property(name, (field) => {
        const variable = `RECORD_${field.toUpperCase().replace(/[^A-Z0-9]/g, '_')}`;
        const details = asShell(made(field).curl, { [variable]: 'Q017' });
        assert.deepEqual(details, [
          { type: 'report_view', placement: 'quay-record', actions: ['view'], context: { [field]: 'Q017' } },
        ]);
      }),
      { numRuns, seed, examples: [["it's"], ['"'], ['$(touch x)'], ['`id`'], ['\\'], ['a b'], ["'; exit 1; '"]] },
    );
  });

  it('ends no script of a page, and says every field in a frame', () => {
    const { element, frame } = made('</script><b>', 'quay id');
    assert.equal(element.match(/<\/script>/g)!.length, 2);
    assert.match(frame, /record=%3C%2Fscript%3E%3Cb%3E:VALUE&amp;record=quay%20id:VALUE/);
    assert.match(frame, /title="Quay &amp; works"/);
  });

  it('exchanges the directory’s word by the standard’s own names', () => {
    const { exchange } = made('quay');
    for (const word of ['grant-type:token-exchange', 'token-type:id_token', 'subject_token=$ID_TOKEN'])
      assert.ok(exchange.includes(word), word);
  });
});
