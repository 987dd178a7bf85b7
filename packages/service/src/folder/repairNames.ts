import { changeNames, redirects, isThing, type JobHandler } from '../platform/index.ts';

/** Lets definitions that name something by a former name follow it, where no other thing has that name. */
export const repairNames: JobHandler = async (app) => {
  for (const { kind, name, now } of await redirects(app))
    await app.records.transaction(async () => {
      await changeNames(app);
      if (!(await isThing(app, { kind, name }, { orBinned: true }))) await app.things.follow({ kind, name }, now);
    });
};
