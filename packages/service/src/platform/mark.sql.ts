import type { App } from './app.ts';
import { askSql } from './records/index.ts';

// Asked for with every look, where a model costs more than the query.

/** The mark that the records stand at. */
export async function readMark(app: App): Promise<string> {
  const [row] = await askSql<{ mark: string }>(app, 'SELECT mark FROM record_mark');
  return row!.mark;
}
