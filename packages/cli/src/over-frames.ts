import pMap from 'p-map';
import { progress } from './output';

/** Does the work of every frame, at most `threads` at a time, and says how far it is. Results keep the order of the frames. */
export function overFrames<F, R>(label: string, frames: readonly F[], threads: number, work: (frame: F) => Promise<R>): Promise<R[]> {
  let done = 0;
  const one = async (frame: F): Promise<R> => {
    const result = await work(frame);
    done++;
    progress(`${label}: ${done} of ${frames.length} frames`, done === frames.length);
    return result;
  };
  return pMap(frames, one, { concurrency: Math.max(1, threads) });
}
