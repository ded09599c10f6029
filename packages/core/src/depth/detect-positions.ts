import type { DepthDetection } from './depth-detection';
import { PLAIN_DEPTH, storedText, type DepthEncoding } from './depth-encoding';
import { strideOf, type DepthChannel, type DepthFrame } from './depth-frame';
import { FILTERED, filteredIssue, mixedShare } from './filtered-edges';
import { cameraOfPositions, distancesOf } from './position-depth';
import { positionsOf } from './stored-depth';

/** A pass of three channels that hold where each pixel's point lies: one camera shows them all where they are. Null when it is none. */
export function detectPositions(frame: DepthFrame): DepthDetection | null {
  const axes = frame.channels.filter((c) => !/^a(lpha)?$/i.test(c.name)),
    positions = positionsOf(axes, frame.width);
  if (positions === null) return null;
  const nothing = emptyPositions(frame, axes),
    camera = cameraOfPositions(positions, nothing);
  if (camera === null) return null;
  const [a, b, c] = axes.map(({ name }) => name);
  if (camera.isFlat)
    return {
      encoding: { ...PLAIN_DEPTH, channel: a, nothing },
      alternatives: [],
      isDepth: false,
      confidence: 0.9,
      evidence: [],
      issues: [
        {
          code: 'notDepth',
          severity: 'warning',
          message: `Channels ${a}, ${b} and ${c} say where in the picture pixels lie, and all are equally far: nothing is in front of anything.`,
        },
      ],
    };
  const plain: DepthEncoding = { ...PLAIN_DEPTH, channel: a, nothing, position: [a, b, c] };
  const stored = { name: '', type: 'float' as const, data: distancesOf(positions, camera, nothing) };
  const mixed = mixedShare([{ ...frame, stored }], plain),
    encoding = { ...plain, filtered: mixed > FILTERED };
  const evidence = [
    `Channels ${a}, ${b} and ${c} hold positions: one camera shows ${camera.points} of them where they are, to ${camera.missPx.toFixed(2)} px.`,
    nothing.length === 0 ? 'No value stands for nothing.' : `Nothing is stored as ${nothing.map(storedText).join(' and ')}.`,
  ];
  const issues = encoding.filtered ? [filteredIssue(mixed)] : [];
  return { encoding, alternatives: [{ encoding, share: 1 }], isDepth: true, confidence: SURE_OF_POSITIONS, evidence, issues };
}

const SURE_OF_POSITIONS = 0.99,
  /** A value that this share of the pixels hold in all three channels stands for nothing. */
  EMPTY_SHARE = 0.002;

function emptyPositions(frame: DepthFrame, [a, b, c]: readonly DepthChannel[]): number[] {
  const seen = new Map<number, number>();
  let looked = 0;
  for (let i = strideOf(frame) >> 1; i < a.data.length; i += strideOf(frame)) {
    looked++;
    const v = a.data[i];
    // Infinity is nothing anyway, and no encoding can name it.
    if (Number.isFinite(v) && v === b.data[i] && v === c.data[i]) seen.set(v, (seen.get(v) ?? 0) + 1);
  }
  return [...seen]
    .filter(([, n]) => n > EMPTY_SHARE * looked)
    .map(([v]) => v)
    .slice(0, 4);
}
