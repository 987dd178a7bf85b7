import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const everySheet = 'csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true,false,false,false,-1';

/** Opens a workbook in LibreOffice and gives each sheet as CSV, by its name; numbers as they are shown. */
export function sheetsInOffice(bytes: Uint8Array): Record<string, string> {
  const folder = mkdtempSync(join(tmpdir(), 'underbell-book-'));
  try {
    const book = join(folder, 'book.xlsx');
    writeFileSync(book, bytes);
    const own = `-env:UserInstallation=file://${folder}/profile`;
    execFileSync('soffice', [own, '--headless', '--convert-to', everySheet, '--outdir', folder, book], {
      stdio: 'ignore',
      timeout: 100_000,
    });
    return Object.fromEntries(
      readdirSync(folder)
        .filter((name) => name.endsWith('.csv'))
        .map((name) => [name.replace(/^book-|\.csv$/g, ''), readFileSync(join(folder, name), 'utf8')]),
    );
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}
