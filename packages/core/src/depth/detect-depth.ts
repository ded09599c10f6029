import { coveringVotes, type CoveringVotes } from './covering';
import { isNothing } from './decode-depth';
import { depthChannelOf } from './depth-channel';
import type { DepthCode, DepthDetection } from './depth-detection';
import { PLAIN_DEPTH, storedText, type DepthEncoding } from './depth-encoding';
import { strideOf, type DepthFrame, type DepthPlane } from './depth-frame';
import { ENOUGH_BENDS, FLAT_SURE, judgeLaws, MOST_K } from './depth-laws';
import { depthValues, type DepthValues } from './depth-values';
import { detectPositions } from './detect-positions';
import { FILTERED, filteredIssue, mixedShare } from './filtered-edges';
import { flatSurfaces } from './flat-surfaces';

/** Below this the artist is asked which values are nearer. */
export const DEPTH_SURE = 0.8;

/**
 * How a depth pass is stored, from its values, the beauty's coverage and what covers what between frames.
 * @param frames one, or two or three in a row; their first decides the channel
 * @param chosen the channel, when somebody knows
 */
export function detectDepth(frames: readonly DepthFrame[], chosen: string | null = null): DepthDetection {
  const positions = chosen === null ? detectPositions(frames[0]) : null;
  if (positions !== null) return positions;
  const { channel, why } = depthChannelOf(frames[0], chosen);
  const planes = frames.flatMap(({ channels, ...frame }): DepthPlane[] => {
    const stored = channels.find((c) => c.name === channel.name);
    return stored === undefined ? [] : [{ ...frame, stored }];
  });
  const values = depthValues(planes);
  const { nothing, things } = values;
  const plain = { ...PLAIN_DEPTH, channel: channel.name, nothing };
  const evidence = [`Channel ${channel.name}: ${why}.`, ...nothingWords(values)];
  if (things === null)
    return {
      encoding: plain,
      alternatives: [],
      isDepth: false,
      confidence: 1,
      evidence,
      issues: [{ code: 'notDepth', severity: 'warning', message: 'No covered pixel holds a depth.' }],
    };
  const { low, high } = things,
    range = high - low;
  const not = notDepth(planes, values);
  if (not !== null)
    return {
      encoding: plain,
      alternatives: [],
      isDepth: false,
      confidence: 0.9,
      evidence,
      issues: [{ code: 'notDepth', severity: 'warning', message: not }],
    };
  evidence.push(`Things lie from ${storedText(low)} to ${storedText(high)}.`);
  const votes: CoveringVotes =
    range > 0 ? coveringVotes(planes, nothing, 0.02 * range, Math.min(0.98, values.solidFrom)) : { smaller: 0, larger: 0 };
  const flat = range > 0 ? flatSurfaces(planes, nothing, low, high) : null;
  const { type } = channel;
  const laws = judgeLaws({ values, isInteger: type === 'u8' || type === 'u16', votes, flat, downwards: downwardsOf(planes[0], nothing) });
  const [best] = laws;
  const { law, zero, scale, nearer } = best;
  const unfiltered: DepthEncoding = { ...plain, law, zero, scale };
  const mixed = mixedShare(planes, unfiltered);
  const encoding = { ...unfiltered, filtered: mixed > FILTERED };
  // Two laws of the same direction order things alike.
  const confidence = range > 0 ? laws.filter((l) => l.nearer === nearer).reduce((sum, l) => sum + l.share, 0) : 1;
  const total = votes.smaller + votes.larger;
  if (total > 0)
    evidence.push(
      `What covers something in the next frame has the smaller value ${votes.smaller} times and the larger one ${votes.larger} times.`,
    );
  if (flat !== null && flat.share > FLAT_SURE && Math.abs(flat.k) <= MOST_K)
    evidence.push(
      `Flat surfaces are flat when values are read as ${Math.abs(flat.k) < 0.1 ? 'one over the distance' : `distances from ${storedText((low + high) / 2 - range / flat.k)} on`} (${Math.round(flat.share * 100)} % of ${flat.places} places).`,
    );
  else if (flat !== null && flat.places >= ENOUGH_BENDS && Math.abs(flat.bulge - 0.5) > 0.2)
    evidence.push(
      `Things bulge towards where ${flat.bulge > 0.5 ? 'smaller' : 'larger'} values are (${Math.round(100 * Math.max(flat.bulge, 1 - flat.bulge))} % of ${flat.places} places).`,
    );
  const issues: { code: DepthCode; severity: 'info' | 'warning'; message: string }[] = [];
  if (range === 0)
    issues.push({ code: 'oneDepth', severity: 'info', message: 'Everything lies at one depth: it tells nothing about what is in front.' });
  if (confidence < DEPTH_SURE)
    issues.push({
      code: 'nearerUnknown',
      severity: 'warning',
      message: `It can't be told whether ${storedText(low)} or ${storedText(high)} is nearer. Say which: choose what the values are.`,
    });
  if (encoding.filtered) issues.push(filteredIssue(mixed));
  if (best.isRelative)
    issues.push({
      code: 'relativeDepth',
      severity: 'info',
      message: 'Stored without its scale: what is in front is known, distances in scene units are not.',
    });
  if (type === 'u8')
    issues.push({
      code: 'coarseSteps',
      severity: 'warning',
      message: '8 bits: things nearer to each other than a step of 1/255 are at one depth.',
    });
  const { filtered } = encoding;
  const alternatives = laws.map(({ share, ...l }) => ({
    encoding: { ...plain, law: l.law, zero: l.zero, scale: l.scale, filtered },
    share,
  }));
  return { encoding, alternatives, isDepth: true, confidence, evidence, issues };
}

function nothingWords({ nothing, nothingFrom, brokenShare }: DepthValues): string[] {
  if (nothing.length === 0 && brokenShare === 0) return ['No value stands for nothing.'];
  const what = [...nothing.map(storedText), ...(brokenShare > 0 ? ['no number'] : [])].join(' and ');
  return [`Nothing is stored as ${what}: ${nothingFrom === 'clear' ? 'it is where the picture is clear' : 'nothing else is near it'}.`];
}

/** How much lower in the picture the larger half of the stored values lies than the smaller half: 1 is a floor from bottom to top, -1 the other way. */
function downwardsOf(plane: DepthPlane, nothing: readonly number[]): number {
  const { stored, width, height, alpha } = plane,
    every = strideOf(plane) * 7;
  const seen: { readonly y: number; readonly value: number }[] = [];
  for (let i = every >> 1; i < stored.data.length; i += every)
    if (!isNothing(stored.data[i], stored.type, nothing) && (alpha === null || alpha[i] > 0.99))
      seen.push({ y: Math.floor(i / width), value: stored.data[i] });
  if (seen.length < 50) return 0;
  seen.sort((a, b) => a.value - b.value);
  const half = seen.length >> 1,
    meanY = (list: typeof seen) => list.reduce((sum, { y }) => sum + y, 0) / list.length;
  return (2 * (meanY(seen.slice(half)) - meanY(seen.slice(0, half)))) / height;
}

/** Why a pass is no depth, as a sentence; null when it may be one. */
function notDepth(planes: readonly DepthPlane[], { nothing, things, areWhole, distinct }: DepthValues): string | null {
  const [plane] = planes,
    { stored, alpha, width } = plane;
  if (things === null) return null;
  if (alpha !== null && things.high - things.low < 1 && isMatte(plane)) return 'It holds the coverage of the picture, not its depth.';
  if (stored.type === 'uint' && areWhole && distinct < 1000) return 'It holds whole numbers as ids do, not depth.';
  // Noise: beside each other values differ as much as across the picture.
  const { low, high } = things,
    // Beyond them lies what a filter made of a thing and nothing.
    isThing = (i: number) => stored.data[i] >= low && stored.data[i] <= high && !isNothing(stored.data[i], stored.type, nothing);
  let rough = 0,
    seen = 0;
  for (let i = 1; i < stored.data.length; i += strideOf(plane)) {
    if (i % width === 0 || !isThing(i) || !isThing(i - 1)) continue;
    seen++;
    if (Math.abs(stored.data[i] - stored.data[i - 1]) > 0.15 * (high - low)) rough++;
  }
  if (seen > 200 && high > low && rough > 0.4 * seen) return 'Its values jump from pixel to pixel as no surface does.';
  return null;
}

function isMatte({ stored: { data }, alpha, width, height }: DepthPlane): boolean {
  if (alpha === null) return false;
  let partial = 0,
    alike = 0,
    seen = 0;
  for (let i = 0; i < data.length; i += strideOf({ width, height })) {
    seen++;
    if (alpha[i] > 0.05 && alpha[i] < 0.95) partial++;
    if (Math.abs(data[i] - alpha[i]) < 0.01) alike++;
  }
  return partial > 0 && alike > 0.99 * seen;
}
