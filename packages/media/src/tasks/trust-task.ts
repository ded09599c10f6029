import {
  addTrust,
  clippedPixels,
  decodeMotion,
  limitSpeeds,
  makeTrustMap,
  mixFrames,
  mixReach,
  orNull,
  prepareBlur,
  readMotion,
  renderRows,
  resizeNearest,
  resizePlane,
  touchedPixels,
  TRUST_CAUSES,
  VECTOR_CLIPPED,
  VECTOR_MISSING,
  VECTOR_REPAIRED,
  verdictOf,
  type MotionField,
  type NeighbourPlan,
  type OpenSlices,
  type RepairKind,
  type TrustMap,
  type TrustVerdict,
} from '@ivrex/core';
import { packRaster } from '@ivrex/contract';
import { heldSharedOf } from '../host/collect';
import { FileReader } from '../frames/file-reader';
import { wantedNeighbours, type BlurFrame } from './blur-frame';
import { loadFramePasses, type FramePasses } from '../frames/frame-passes';
import type { FrameSources } from '../frames/pass-files';
import { loadStoredMotion, planesOf, typesOf } from '../frames/motion-pass';
import type { NodeHost } from '../host/node-host';

export interface TrustResult {
  /** The map as a raster of float planes: "expected" and one a cause. */
  readonly raster: Uint8Array;
  readonly verdict: TrustVerdict;
  readonly warnings: readonly string[];
}

/** Repairs that put another vector in a pixel's place; the others move or limit all alike. */
const REPLACING: readonly RepairKind[] = ['unmix', 'fillHoles', 'outliers', 'growEdges'];

/** Where one frame's blur can't be trusted. @throws IvrexError about the file that is at fault */
export async function trustFrame(request: BlurFrame, host: NodeHost): Promise<TrustResult> {
  const { map, verdict, passes } = await trustMapOf(request, host);
  const raster = packRaster({ width: map.width, height: map.height, format: 'planes32f', names: ['expected', ...TRUST_CAUSES] }, [
    map.expected,
    ...TRUST_CAUSES.map((cause) => map.causes[cause]),
  ]);
  return { raster, verdict, warnings: passes.warnings };
}

/** The map itself, of a frame with its light passes, and the passes that it was made from. */
export async function trustMapOf(
  { lights = [], ...frame }: BlurFrame,
  host: NodeHost,
): Promise<{ map: TrustMap; verdict: TrustVerdict; passes: FramePasses }> {
  const { map, passes, touched } = await mapAlone(frame, host);
  for (const { opacity, frame: light } of lights) {
    const lit = await mapAlone(light, host);
    // Light passes of another size are refused before they are blurred.
    if (lit.map.expected.length !== map.expected.length) continue;
    addTrust(map, lit.map, opacity);
    for (let i = 0; i < touched.length; i++) touched[i] = Math.max(touched[i], lit.touched[i]);
  }
  const { sources, path, hidden, bothFrames } = frame;
  const verdict = verdictOf(map, touched, {
    pathIsChosen: path === 'straight' || path === 'bent',
    looksAround: hidden === 'auto',
    mixes: bothFrames === 'auto',
    hasNeighbours: passes.previous !== null || passes.next !== null,
    hasBackground: passes.background !== null,
    hasDepth: passes.depth !== null,
    mends: (sources.repairs ?? []).some((step) => step.on && step.kind === 'fillHoles'),
  });
  return { map, verdict, passes };
}

async function mapAlone(frame: BlurFrame, host: NodeHost): Promise<{ map: TrustMap; passes: FramePasses; touched: Uint8Array }> {
  const { sources, path, hidden, limits = null } = frame,
    { shutter } = frame.settings,
    wanted = wantedNeighbours(frame),
    open: OpenSlices = (layers) => host.kernels.openSlices(layers);
  const planOf = (of: FramePasses) => {
    const whole = prepareBlur({ ...of, path, hidden, reachFrames: mixReach(wanted, shutter) });
    heldSharedOf(whole);
    return limits === null ? whole : limitSpeeds(whole, limits);
  };
  const passes = await loadFramePasses(sources, host),
    own = planOf(passes),
    neighbours: NeighbourPlan[] = [];
  for (const at of wanted.at) {
    const there = at < 0 ? frame.before : frame.after;
    // A neighbour that can't be read is as if it were not there, as when it is blurred.
    const read = there ? await orNull(() => loadFramePasses(there, host)) : null;
    if (read?.width === own.width && read.height === own.height) neighbours.push({ at, plan: planOf(read) });
  }
  const { plan, mix } = mixFrames(own, wanted, neighbours, shutter, open, true);
  const doubtful = await doubtfulVectors(sources, passes, host);
  const blurred = new Float32Array(plan.width * plan.height * 4),
    session = open(plan.layers);
  try {
    renderRows(plan, session, { shutter, quality: 'draft', samples: 'auto' }, 0, plan.height, blurred);
  } finally {
    session.close();
  }
  const map = makeTrustMap({ plan, shutter, mix, blurred, input: { passes: { ...passes, path }, doubtful } }, open);
  return { map, passes, touched: touchedPixels(plan, blurred) };
}

/** By pixel of the beauty: vectors that are missing, clipped or not those of the file. */
async function doubtfulVectors({ motion, encoding, repairs, fps }: FrameSources, passes: FramePasses, host: NodeHost): Promise<Uint8Array> {
  const stored = await loadStoredMotion(motion, encoding, new FileReader(host));
  const { width, height } = stored,
    planes = { planes: planesOf(stored), width, height, fps: fps ?? stored.fps, beautyAlpha: null };
  const alpha = Float32Array.from({ length: passes.rgba.length / 4 }, (_, i) => passes.rgba[i * 4 + 3]);
  const coverage = resizePlane(alpha, passes.width, passes.height, width, height);
  const from = { ...planes, beautyAlpha: coverage },
    types = typesOf(stored);
  const bits = new Uint8Array(width * height);
  const { mask } = clippedPixels(planes, encoding, types);
  const raw = decodeMotion(from, encoding);
  const replaced = (repairs ?? []).filter((step) => step.on && REPLACING.includes(step.kind));
  const mended = replaced.length === 0 ? raw : readMotion(from, types, encoding, replaced, coverage).field;
  for (let i = 0; i < bits.length; i++) {
    if (raw.valid[i] === 0 && mended.valid[i] === 0 && coverage[i] > 0.02) bits[i] += VECTOR_MISSING;
    if (mask[i] !== 0) bits[i] += VECTOR_CLIPPED;
    if (mended !== raw && differs(raw, mended, i)) bits[i] += VECTOR_REPAIRED;
  }
  return resizeNearest(bits, width, height, passes.width, passes.height);
}

const DIFFERS_PX = 0.25;

function differs(a: MotionField, b: MotionField, i: number): boolean {
  if (a.valid[i] !== b.valid[i]) return true;
  return Math.hypot(a.toNext[i * 2] - b.toNext[i * 2], a.toNext[i * 2 + 1] - b.toNext[i * 2 + 1]) > DIFFERS_PX;
}
