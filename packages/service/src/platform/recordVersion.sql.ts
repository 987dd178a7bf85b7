import type { App } from './app.ts';
import { querySql } from './records/index.ts';

// Asked for with every reading, where a model costs more than the query.

/** What is selected beside something else to know it at the same moment. */
export const recordVersion = '(SELECT mark FROM record_mark)';

/** The version that the records are at: another after each change of what decides what a reader sees. */
export async function readRecordVersion(app: App): Promise<string> {
  const [row] = await querySql<{ mark: string }>(app, 'SELECT mark FROM record_mark');
  return row!.mark;
}

/** Gives the records another version, as the last act of a change of what no trigger watches. */
export async function changeRecordVersion(app: App): Promise<void> {
  await querySql(app, 'UPDATE record_mark SET mark = gen_random_uuid()');
}
