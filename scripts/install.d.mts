/** The checkout's folder. */
export const root: string;
export const chromiumPath: string;
export function installPackages(): void;
export function installPostgres(): void;
export function installChromium(): void;
export function installSpreadsheet(): void;
/** The folder of PostgreSQL's server programs, or undefined. */
export function findPostgres(): string | undefined;
export function installProxy(): void;
