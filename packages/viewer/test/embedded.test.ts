import assert from 'node:assert/strict';
import { describe, it } from 'node:test';
import type { Host, HostQuestion, TokenState } from '../src/host/host.ts';
import { WithinHost } from '../src/host/embedded.ts';

type Fields = Readonly<Record<string, string>>;

/** A page around that does what a test says. */
class Around implements Host {
  readonly isFramed = true;
  readonly told: object[] = [];
  show: (question: HostQuestion) => void = () => undefined;
  record_: (record: Fields) => void = () => undefined;
  ask(): void {
    throw new Error('whoever looks is known to the page within');
  }
  listen(onShow: (question: HostQuestion) => void, onRecord: (record: Fields) => void): void {
    this.show = onShow;
    this.record_ = onRecord;
  }
  tell(message: object): void {
    this.told.push(message);
  }
  tellHeight(): void {
    this.told.push({ height: true });
  }
}

describe('a page of this service around another', () => {
  it('knows who looks, by the key of that moment or by the cookie', () => {
    const held: { key?: string } = {};
    const within = new WithinHost(new Around(), () => held.key);
    const states: TokenState[] = [];
    within.ask((state) => states.push(state));
    held.key = 'abc';
    within.ask((state) => states.push(state));
    assert.deepEqual(states, [{ none: true }, { token: 'abc' }]);
  });

  it('passes on what the host says to the report that is shown, and to no other', () => {
    const around = new Around();
    const within = new WithinHost(around, () => undefined);
    const [first, second]: [Fields[], Fields[]] = [[], []];
    within.listen(
      () => undefined,
      (record) => first.push(record),
    );
    around.record_({ quay: 'Q1' });
    within.listen(
      () => undefined,
      (record) => second.push(record),
    );
    around.record_({ quay: 'Q2' });
    assert.deepEqual([first, second], [[{ quay: 'Q1' }], [{ quay: 'Q2' }]]);
    // What is turned to next begins with the record that is shown now.
    assert.deepEqual(within.record, { quay: 'Q2' });
  });

  it('lets the host hear what happened, and says nothing of a height that is not the whole', () => {
    const around = new Around();
    const within = new WithinHost(around, () => undefined);
    within.tell({ underBell: 'selection', figure: 'bars' });
    within.tellHeight();
    assert.deepEqual(around.told, [{ underBell: 'selection', figure: 'bars' }]);
  });
});
