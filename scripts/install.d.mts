/** The checkout's folder. */
export const root: string;
export const chromiumPath: string;
export function installPackages(): void;
/** What the service itself starts, from Debian's packages. */
export function installForService(): void;
/** The same with what tests start beside it. */
export function installForTests(): void;
export function installChromium(): void;
/** The folder of PostgreSQL's server programs, or undefined. */
export function findPostgres(): string | undefined;
