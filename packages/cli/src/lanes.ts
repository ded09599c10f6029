/** Runs `work` over all items, at most `lanes` at a time; results keep the items' order. `done` counts those finished, this one included. */
export async function inLanes<T, R>(items: readonly T[], lanes: number, work: (item: T, done: number) => Promise<R>): Promise<R[]> {
  const results = new Array<R>(items.length);
  let next = 0,
    done = 0;
  const lane = async () => {
    for (let i = next++; i < items.length; i = next++) {
      results[i] = await work(items[i], done + 1);
      done++;
    }
  };
  await Promise.all(Array.from({ length: Math.max(1, lanes) }, lane));
  return results;
}
