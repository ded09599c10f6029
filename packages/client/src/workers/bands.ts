/** Rows that several workers render: each takes the next band from memory that all see, so that none waits for the page to hand it out. */
export interface Bands {
  readonly y1: number;
  /** Of a band; the last one may be less. */
  readonly rows: number;
  /** The next band's first row, and 1 when no more are to be begun. */
  readonly state: Int32Array;
}

const NEXT = 0,
  STOPPED = 1;

export function bandsOf({ y0, y1 }: { readonly y0: number; readonly y1: number }, rows: number): Bands {
  const state = new Int32Array(new SharedArrayBuffer(8));
  state[NEXT] = y0;
  return { y1, rows, state };
}

/** Rows [from, to) for whoever asks; null when none are left, or no more are wanted. */
export function takeBand({ y1, rows, state }: Bands): [number, number] | null {
  if (Atomics.load(state, STOPPED) !== 0) return null;
  const from = Atomics.add(state, NEXT, rows);
  return from >= y1 ? null : [from, Math.min(y1, from + rows)];
}

/** Bands that are being rendered come to their end; no others are begun. */
export function stopBands({ state }: Bands): void {
  Atomics.store(state, STOPPED, 1);
}
