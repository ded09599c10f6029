/** CPU seconds of the best of `runs`. */
export function best(runs: number, work: () => void): number {
  let least = Infinity;
  for (let i = 0; i < runs; i++) {
    const start = process.cpuUsage();
    work();
    const used = process.cpuUsage(start);
    least = Math.min(least, (used.user + used.system) / 1e6);
  }
  return least;
}

/**
 * Seconds on the clock of the quickest of `runs`: what one thread takes while the collector and the compiler work beside it. For long work, of which
 * CPU time would count them too.
 */
export function quickest(runs: number, work: () => void): number {
  let least = Infinity;
  for (let i = 0; i < runs; i++) {
    const start = performance.now();
    work();
    least = Math.min(least, (performance.now() - start) / 1000);
  }
  return least;
}

export function line(what: string, ours: number, baseline: string, theirs: number): void {
  process.stdout.write(
    `${what.padEnd(52)} ${(ours * 1000).toFixed(1).padStart(9)} ms   ${(ours / theirs).toFixed(2).padStart(6)} of ${baseline} (${(theirs * 1000).toFixed(1)} ms)\n`,
  );
}
