import type { ShownRevision } from '@underbell/core/dataset';
import { querySql, type App } from '../platform/index.ts';

export interface NewestLoad {
  readonly dataset: string;
  readonly state: ShownRevision['state'];
  readonly rows: number;
  readonly startedAt: Date;
  readonly finishedAt: Date | null;
  readonly cause: ShownRevision['cause'];
}

// The first of each group, which a model cannot ask for at once.

/** Of each dataset: the load that is under way, and the last one that ended. */
export async function newestLoads(app: App, datasets: readonly string[]): Promise<NewestLoad[]> {
  if (datasets.length === 0) return [];
  return querySql<NewestLoad>(
    app,
    `SELECT DISTINCT ON (dataset_name, state = 'loading') dataset_name AS dataset, state, row_count::float8 AS rows,
       started_at AS "startedAt", finished_at AS "finishedAt", cause
     FROM revisions WHERE dataset_name = ANY($datasets::text[])
     ORDER BY dataset_name, state = 'loading', number DESC`,
    { datasets: [...datasets] },
  );
}
