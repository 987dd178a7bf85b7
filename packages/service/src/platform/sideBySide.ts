/**
 * Works through items in order, so many at once. A failure lets what is going on end and begins nothing more.
 *
 * @throws what the first piece of work threw that `isFirst` prefers, or the first at all
 */
export async function sideBySide<T>(
  items: Iterable<T>,
  width: number,
  work: (item: T) => Promise<void>,
  isFirst: (error: unknown) => boolean = () => true,
): Promise<void> {
  const queue = items[Symbol.iterator]();
  const failures: unknown[] = [];
  const lane = async (): Promise<void> => {
    for (let next = queue.next(); !next.done && failures.length === 0; next = queue.next()) {
      try {
        await work(next.value);
      } catch (error) {
        failures.push(error);
      }
    }
  };
  await Promise.all(Array.from({ length: width }, lane));
  if (failures.length > 0) throw failures.find(isFirst) ?? failures[0];
}
