import assert from 'node:assert/strict';
import { createHash } from 'node:crypto';
import { describe, it } from 'node:test';
import { fadingRoute, lateVessel, makeCompany, shownManager } from '../src/company.ts';
import { quaysFor } from '../src/fill.ts';
import { Random } from '../src/random.ts';
import { berthWorkLines, dayCount, kioskLines, managerList, sailingColumns, sailingLines } from '../src/sailings.ts';

const company = makeCompany();
const lines = [...sailingLines(company, 60_000)].map((line) => line.trimEnd().split(','));
const at = (name: (typeof sailingColumns)[number]) => sailingColumns.indexOf(name);
const mean = (values: readonly number[]) => values.reduce((sum, one) => sum + one, 0) / values.length;
const delay = (line: readonly string[]) =>
  (Date.parse(line[at('actual_departure')]!) - Date.parse(line[at('planned_departure')]!)) / 60_000;
const sailed = lines.filter((line) => line[at('cancelled')] === 'false');

describe('Skerrow Ferries', () => {
  it('is the same every time', () => {
    const hash = (size: number) => {
      const sum = createHash('sha256');
      for (const line of sailingLines(makeCompany(), size)) sum.update(line);
      return sum.digest('hex');
    };
    assert.equal(hash(3_000), hash(3_000));
    assert.deepEqual(makeCompany(), makeCompany());
  });

  it('has 14 routes between 52 quays in 6 districts, six of them closed, and 19 vessels', () => {
    assert.deepEqual(
      [
        company.routes.length,
        company.quays.length,
        new Set(company.quays.map((quay) => quay.district)).size,
        company.vessels.length,
      ],
      [14, 52, 6, 19],
    );
    assert.equal(company.quays.filter((quay) => quay.isClosed).length, 6);
    assert.equal(new Set(company.quays.map((quay) => quay.name)).size, 52);
    assert.equal(new Set(company.quays.map((quay) => quay.email)).size, 52);
    assert.equal(company.quays.find((quay) => quay.id === shownManager.quay)?.isClosed, false);
  });

  it('has about 60,000 sailings over 90 days, none from a closed quay', () => {
    assert.ok(Math.abs(lines.length - 60_000) < 300, `${lines.length}`);
    assert.equal(new Set(lines.map((line) => line[at('planned_departure')]!.slice(0, 10))).size, dayCount);
    const closed = new Set(company.quays.filter((quay) => quay.isClosed).map((quay) => quay.id));
    assert.ok(lines.every((line) => !closed.has(line[at('quay_id')]!)));
    assert.equal(new Set(lines.map((line) => line[at('quay_id')])).size, 46);
    assert.equal(new Set(lines.map((line) => line[at('sailing_id')])).size, lines.length);
  });

  it('has things to find: a bad week, a late vessel, a route that loses passengers', () => {
    const isStorm = (line: readonly string[]) =>
      line[at('planned_departure')]! >= '2026-09-14' && line[at('planned_departure')]! < '2026-09-21';
    const cancelled = (some: readonly string[][]) =>
      mean(some.map((line) => (line[at('cancelled')] === 'true' ? 1 : 0)));
    assert.ok(cancelled(lines.filter(isStorm)) > 5 * cancelled(lines.filter((line) => !isStorm(line))));
    const byVessel = (name: string) => mean(sailed.filter((line) => line[at('vessel')] === name).map(delay));
    for (const vessel of company.vessels)
      if (vessel !== lateVessel) assert.ok(byVessel(lateVessel) > byVessel(vessel) + 4, vessel);
    const passengers = (from: string, to: string) =>
      mean(
        sailed
          .filter(
            (line) =>
              line[at('route_id')] === fadingRoute &&
              line[at('planned_departure')]! >= from &&
              line[at('planned_departure')]! < to,
          )
          .map((line) => Number(line[at('passengers')])),
      );
    assert.ok(passengers('2026-10-15', '2026-11-01') < 0.7 * passengers('2026-08-03', '2026-08-20'));
  });

  it('gives cancelled sailings a cause, no departure and no passengers', () => {
    for (const line of lines.filter((one) => one[at('cancelled')] === 'true')) {
      assert.deepEqual([line[at('actual_departure')], line[at('passengers')], line[at('fares')]], ['', '0', '0.00']);
      assert.notEqual(line[at('cancel_cause')], '');
    }
  });

  it('grows with one number', () => {
    assert.deepEqual([1_000, 60_000, 120_000, 2_000_000].map(quaysFor), [52, 52, 104, 300]);
    const large = makeCompany(300);
    assert.deepEqual([large.quays.length, large.quays.filter((quay) => !quay.isClosed).length], [300, 265]);
    assert.equal(new Set(large.quays.map((quay) => quay.id)).size, 300);
  });

  it('lists every manager, also of closed quays, and fills works and takings', () => {
    const list = managerList(company).trimEnd().split('\n');
    assert.deepEqual([list[0], list.length], ['quay,quay_name,district,manager,email', 53]);
    assert.ok(new Set([...berthWorkLines(company)].map((line) => line.split(',')[1])).size === 52);
    assert.equal([...kioskLines(company)].length, 46 * dayCount);
  });
});

describe('Random', () => {
  it('spreads evenly and repeats itself for a seed', () => {
    const random = new Random(1);
    const counts = Array.from({ length: 10 }, () => 0);
    for (let i = 0; i < 20_000; i++) counts[random.whole(0, 9)]!++;
    assert.ok(
      counts.every((count) => Math.abs(count - 2_000) < 250),
      counts.join(' '),
    );
    assert.deepEqual(
      [new Random(3).next(), new Random(3).pick(['a', 'b', 'c'])],
      [new Random(3).next(), new Random(3).pick(['a', 'b', 'c'])],
    );
  });
});
