import { fadingRoute, lateVessel, type Company, type Quay, type Route } from './company.ts';
import { Random } from './random.ts';

/** The first day of the data and how many days there are; the last one is 31 October 2026. */
export const firstDay = '2026-08-03';
export const dayCount = 90;
const dayMs = 86_400_000;

export const sailingColumns = [
  'sailing_id',
  'quay_id',
  'route_id',
  'destination_id',
  'vessel',
  'planned_departure',
  'actual_departure',
  'passengers',
  'vehicles',
  'fares',
  'cancelled',
  'cancel_cause',
] as const;

const causes = ['weather', 'crew', 'engine', 'berth blocked', 'tide'];
/** The bad week: a storm from 14 to 20 September. */
const stormDays = [42, 48] as const;

function routesByQuay(company: Company): Map<string, Route[]> {
  const found = new Map<string, Route[]>();
  for (const route of company.routes)
    for (const quay of route.quays) found.set(quay.id, [...(found.get(quay.id) ?? []), route]);
  return found;
}

const stamp = (ms: number) => new Date(ms).toISOString().replace('.000Z', 'Z');

function sailingLine(
  random: Random,
  company: Company,
  sailing: { id: number; quay: Quay; route: Route; day: number; planned: number },
): string {
  const { id, quay, route, day, planned } = sailing;
  const vessel = company.vessels[(Number(route.id.slice(1)) * 3 + random.whole(0, 2)) % company.vessels.length]!;
  const others = route.quays.filter((one) => one !== quay && !one.isClosed);
  const destination = (others.length > 0 ? random.pick(others) : quay).id;
  const isStorm = day >= stormDays[0] && day <= stormDays[1];
  const isCancelled = random.next() < (isStorm ? 0.17 : 0.018);
  const late = (vessel === lateVessel ? 9 : 0) + (isStorm ? 7 : 0) + (quay.weight > 1.3 ? 1.5 : 0);
  const skew = random.next();
  const delay = Math.round(random.around(late, 3) + (skew > 0.88 ? skew * 14 : 0));
  const hour = new Date(planned).getUTCHours();
  const isPeak = (hour >= 7 && hour <= 9) || (hour >= 16 && hour <= 18);
  const fading = route.id === fadingRoute ? 1 - (0.45 * day) / dayCount : 1;
  const season = 1.12 - (0.24 * day) / dayCount;
  const passengers = isCancelled
    ? 0
    : Math.max(0, Math.round(random.around(46, 26) * quay.weight * (isPeak ? 1.5 : 1) * fading * season));
  const vehicles = isCancelled ? 0 : Math.max(0, Math.round(random.around(11, 9) * quay.weight));
  const fares = (passengers * 6.4 + vehicles * 17.5).toFixed(2);
  const actual = isCancelled ? '' : stamp(planned + Math.max(-2, delay) * 60_000);
  const cause = isCancelled ? (isStorm ? 'weather' : random.pick(causes)) : '';
  return `${id},${quay.id},${route.id},${destination},${vessel},${stamp(planned)},${actual},${passengers},${vehicles},${fares},${isCancelled},${cause}\n`;
}

/**
 * About so many sailings of 90 days, as CSV lines without heading, in the order of departure days.
 *
 * There are things to find: a storm week with many cancellations, a vessel that is always late, a route that loses
 * passengers.
 */
export function* sailingLines(company: Company, rows: number): Generator<string> {
  const random = new Random(20_260_803);
  const open = company.quays.filter((quay) => !quay.isClosed);
  const totalWeight = open.reduce((sum, quay) => sum + quay.weight, 0);
  const routes = routesByQuay(company);
  const start = Date.parse(`${firstDay}T00:00:00Z`);
  let id = 0;
  for (let day = 0; day < dayCount; day++) {
    for (const quay of open) {
      const exact = (rows / dayCount) * (quay.weight / totalWeight);
      const count = Math.floor(exact) + (random.next() < exact % 1 ? 1 : 0);
      for (let i = 0; i < count; i++) {
        const minute = 5 * 60 + Math.round(((i + 0.5) / count) * 17 * 60);
        const planned = start + day * dayMs + minute * 60_000;
        yield sailingLine(random, company, { id: ++id, quay, route: random.pick(routes.get(quay.id)!), day, planned });
      }
    }
  }
}

/** Works on berths, a few for every quay. */
export function* berthWorkLines(company: Company): Generator<string> {
  const random = new Random(11);
  const kinds = ['fender', 'dredging', 'lighting', 'ramp', 'mooring ring'];
  const start = Date.parse(`${firstDay}T00:00:00Z`);
  let id = 0;
  for (const quay of company.quays) {
    for (let i = random.whole(1, 4); i > 0; i--) {
      const from = start + random.whole(0, dayCount - 20) * dayMs;
      const to = from + random.whole(2, 18) * dayMs;
      yield `${++id},${quay.id},${random.whole(1, 3)},${random.pick(kinds)},${stamp(from).slice(0, 10)},${stamp(to).slice(0, 10)},${random.whole(8, 240) * 100}\n`;
    }
  }
}

/** Its card reader broke on 5 October: receipts go on, takings do not. */
const brokenKiosk = 'Q023';
const brokenFrom = 63;

/** What the kiosks took, a line per open quay and day. */
export function* kioskLines(company: Company): Generator<string> {
  const random = new Random(13);
  const start = Date.parse(`${firstDay}T00:00:00Z`);
  for (let day = 0; day < dayCount; day++) {
    for (const quay of company.quays) {
      if (quay.isClosed) continue;
      const takings = random.around(310, 160) * quay.weight * (quay.id === brokenKiosk && day >= brokenFrom ? 0.25 : 1);
      yield `${quay.id},${stamp(start + day * dayMs).slice(0, 10)},${takings.toFixed(2)},${random.whole(20, 190)}\n`;
    }
  }
}

/** The recipient list of the quay pack: every manager, also of the quays that are closed. */
export function managerList(company: Company): string {
  const lines = company.quays.map((quay) => `${quay.id},${quay.name},${quay.district},${quay.manager},${quay.email}`);
  return ['quay,quay_name,district,manager,email', ...lines, ''].join('\n');
}
