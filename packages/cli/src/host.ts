import type { BlurPool, NodeHost } from '@ivrex/media';

/** What commands run with. The program brings what is installed beside it; tests share threads between commands. */
export interface CliHost {
  readonly kernels: () => Promise<NodeHost>;
  readonly openPool: (threads: number) => BlurPool;
  /** What is burnt into movies is set in it. */
  readonly fontFile: string;
}

/** A signal that aborts when the process is told to stop; `release` when nothing is left to abort. */
export function abortOn(...signals: NodeJS.Signals[]): { readonly signal: AbortSignal; readonly release: () => void } {
  const stop = new AbortController(),
    abort = () => stop.abort();
  for (const signal of signals) process.once(signal, abort);
  return {
    signal: stop.signal,
    release: () => {
      for (const signal of signals) process.off(signal, abort);
    },
  };
}
