import { querySql, type App } from '../platform/index.ts';

// Counted on where there is a count already, for a placement that is still there: one statement, whoever else counts.

export async function addProblems(
  app: App,
  problem: { readonly placementName: string; readonly code: string; readonly hour: Date; readonly count: number },
): Promise<void> {
  const { placementName, code, hour, count } = problem;
  await querySql(
    app,
    `INSERT INTO placement_problems (placement_name, code, hour, count)
     SELECT name, $code, $hour, $count FROM placements WHERE name = $placementName
     ON CONFLICT (placement_name, code, hour) DO UPDATE SET count = placement_problems.count + excluded.count`,
    { placementName, code, hour, count },
  );
}
