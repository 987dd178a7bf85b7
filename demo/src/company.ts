import { Random } from './random.ts';

/** A landing place of Skerrow Ferries; `Q001` and on. */
export interface Quay {
  readonly id: string;
  readonly name: string;
  readonly district: string;
  /** Closed for the winter: nothing sails. */
  readonly isClosed: boolean;
  readonly manager: string;
  readonly email: string;
  /** How busy it is, around 1. */
  readonly weight: number;
}

export interface Route {
  readonly id: string;
  readonly name: string;
  readonly quays: readonly Quay[];
}

export interface Company {
  readonly quays: readonly Quay[];
  readonly routes: readonly Route[];
  readonly vessels: readonly string[];
}

const districts = ['Outer Skerrow', 'Hervane Sound', 'Northing', 'Mid Channel', 'Tarvane Bay', 'Southern Reach'];
const stems = [
  'Ostle',
  'Brannock',
  'Tarvane',
  'Menlow',
  'Corvane',
  'Fennick',
  'Gilsow',
  'Hestow',
  'Invarra',
  'Keldane',
  'Lorrick',
  'Mirrow',
  'Norrand',
  'Pellow',
  'Quenver',
  'Ranshaw',
  'Sallow',
  'Threll',
  'Ulverra',
  'Vaskin',
  'Wendry',
  'Yarrock',
  'Dunvane',
  'Elshaw',
  'Arbrin',
  'Cullane',
  'Grevin',
  'Hollin',
  'Jarvane',
  'Kestle',
];
const endings = ['Quay', 'Head', 'Landing', 'Haven', 'Steps', 'Hythe', 'Pier', 'Slip', 'Point', 'Sands'];
const givenNames = [
  'Ada',
  'Bram',
  'Cleo',
  'Doran',
  'Edda',
  'Finn',
  'Greta',
  'Hamish',
  'Isla',
  'Jonas',
  'Kira',
  'Leif',
  'Mira',
  'Nils',
  'Orla',
  'Piers',
  'Runa',
  'Stellan',
  'Thea',
  'Ulf',
  'Vera',
  'Wynn',
  'Ylva',
  'Zoë',
];
const familyNames = [
  'Arkwell',
  'Bellfoot',
  'Crane',
  'Dunmore',
  'Eskil',
  'Farrow',
  'Gannet',
  'Hale',
  'Isbister',
  'Jessop',
  'Kell',
  'Lund',
  'Marrow',
  'Nesbit',
  'Oakes',
  'Pike',
  'Quill',
  'Reeve',
  'Strand',
  'Tolley',
  'Umber',
  'Vane',
  'Wick',
];
const vesselNames = [
  'Tern Light',
  'Grey Gannet',
  'Lady Hervane',
  'Northern Wake',
  'Kittiwake',
  'Silver Drift',
  'Morning Ebb',
  'Skerrow Star',
  'Petrel',
  'Long Reach',
  'Fulmar',
  'Harbour Rose',
  'Island Thrift',
  'Blue Fathom',
  'Sea Campion',
  'Oyster',
  'Guillemot',
  'West Wind',
  'Sandpiper',
];

/** The vessel that is always late, and the route that loses passengers. */
export const lateVessel = 'Tern Light';
export const fadingRoute = 'R07';

/** The manager as whom visitors of the demo sign in; the address is easy to type. */
export const shownManager = { quay: 'Q017', name: 'Kira Arkwell', email: 'quay17@skerrow.example' } as const;

const plain = (text: string) => text.normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase();

/** Skerrow Ferries with so many quays: 52 in the demo, more in benchmarks; a good tenth is closed for the winter. */
export function makeCompany(quayCount = 52): Company {
  const random = new Random(7);
  const closed = Math.round(quayCount * 0.1167);
  const quays = Array.from({ length: quayCount }, (_, i): Quay => {
    const given = givenNames[(i * 7) % givenNames.length]!;
    const family = familyNames[(i * 5 + Math.floor(i / 23)) % familyNames.length]!;
    const id = `Q${String(i + 1).padStart(3, '0')}`;
    return {
      id,
      name: `${stems[i % stems.length]!} ${endings[(i + Math.floor(i / stems.length) * 3) % endings.length]!}`,
      district: districts[i % districts.length]!,
      // Spread over the list, and never the quay that the demo shows.
      isClosed: i % 9 === 4 && Math.floor(i / 9) < closed,
      manager: id === shownManager.quay ? shownManager.name : `${given} ${family}`,
      email:
        id === shownManager.quay
          ? shownManager.email
          : `${plain(given)}.${plain(family)}.${id.toLowerCase()}@skerrow.example`,
      weight: 0.5 + random.next() * 1.1,
    };
  });
  let short = closed - quays.filter((quay) => quay.isClosed).length;
  const settled = quays.map((quay, i) => (short > 0 && i % 9 === 8 ? (short--, { ...quay, isClosed: true }) : quay));
  const routes = Array.from({ length: 14 }, (_, i): Route => {
    const own = settled.filter((_quay, index) => index % 14 === i || (index + 3) % 14 === i);
    const ends = own.filter((quay) => !quay.isClosed);
    const name = `${(ends[0] ?? own[0])!.name.split(' ')[0]} – ${(ends.at(-1) ?? own.at(-1))!.name.split(' ')[0]}`;
    return { id: `R${String(i + 1).padStart(2, '0')}`, name, quays: own };
  });
  return { quays: settled, routes, vessels: vesselNames };
}
