import { planCodec, type PassFacts } from '../encoding/codec-plan';
import type { Encoding } from '../encoding/encoding';
import { curveWords } from '../encoding/describe-encoding';
import { transferPair } from '../../colour/transfer';
import type { Symptom } from './identification';
import { stuckIn, type ChannelShape, type StoredPass } from './stored-pass';

/** Half a step of this is a quarter of a pixel under a shutter of 180 degrees: seen in long streaks only. */
const COARSE_PX = 1.05;

export type Add = (s: Omit<Symptom, 'at' | 'mend'> & Partial<Pick<Symptom, 'at' | 'mend'>>) => void;

/** Adds to a list what has no place and nothing that mends it, unless it says so. */
export function adderTo(out: Symptom[]): Add {
  return (s) => out.push({ at: null, mend: null, ...s });
}

/** Pixels per frame that a stored unit means, x and y, axes included. Without a rate a motion per second counts at 24. */
function pixelsPerStored(encoding: Encoding, facts: PassFacts): readonly [number, number] {
  const plan = planCodec(encoding, { ...facts, fps: facts.fps ?? 24 });
  const frames = plan.spans[0].frames;
  if (encoding.sets[0].length !== null) return [plan.lengthScale / frames, plan.lengthScale / frames];
  return [plan.scaleX / frames, plan.scaleY / frames];
}

/** Three places are finer than what stands still can be measured to. */
function rounded(px: number): number {
  return Math.round(px * 1000) / 1000;
}

/** Symptoms that the values show whatever the pictures say. */
/** `zeros`: values of no motion in x and in y, after the curve; null where only the encoding says. */
export function valueSymptoms(
  encoding: Encoding,
  shapes: readonly ChannelShape[],
  pass: StoredPass,
  fps: number | null,
  zeros: readonly [number, number] | null,
): Symptom[] {
  const facts = { width: pass.width, height: pass.height, fps };
  const out: Symptom[] = [];
  const add = adderTo(out);
  // Of direction and length the length alone can run into a wall.
  const used = shapes.filter((s) =>
    encoding.sets.some((set) =>
      (set.length === null ? [set.x, set.y] : [set.length]).some((n) => n === s.name || s.name.endsWith(`.${n}`)),
    ),
  );
  const direction = encoding.sets.some((set) => set.length !== null);
  if (used.length === 0) return out;
  const { apply } = transferPair(encoding.transfer);
  const perStored = pixelsPerStored(encoding, facts);
  if (encoding.transfer.kind !== 'none')
    add({
      code: 'curveOnData',
      severity: 'warning',
      message: `A display curve lies on the data (${curveWords(encoding)}): no motion reads ${apply(encoding.zero).toFixed(3)}${
        Math.abs(encoding.zero - 0.5) < 0.01 ? ' instead of 0.5' : ''
      }.`,
      effect: 'Everything that stands still would smear the same way, and lengths would be wrong.',
      advice: 'The detected encoding undoes the curve.',
      mend: { kind: 'reading' },
    });
  const rests = zeros ?? [encoding.zero, encoding.zero];
  const apart = Math.max(...rests) - Math.min(...rests);
  const code = Math.max(...used.map((s) => s.step), 1 / 1000);
  const nominal = [0, 0.5].reduce((a, b) => (Math.abs(b - encoding.zero) < Math.abs(a - encoding.zero) ? b : a));
  const off = Math.abs(encoding.zero - nominal);
  // 127 and 128 of 255 are both as near to the middle as 8 bits come.
  const offCodes = off > 0.75 * code ? off : 0;
  const isApart = apart > 0.75 * code && apart < 0.1;
  if (!direction && ((offCodes > 0 && off < 0.2) || (isApart && encoding.noData === null))) {
    // One zero serves both axes: what each is off by is taken off afterwards.
    const [xPx, yPx] = rests.map((rest, axis) => rounded((rest - encoding.zero) * perStored[axis]));
    add({
      code: 'centreOff',
      severity: 'warning',
      message: isApart
        ? `x and y do not stand still at the same value (${rests.map((r) => r.toFixed(4)).join(' and ')}).`
        : `No motion is stored as ${encoding.zero.toFixed(4)}, ${(off / used[0].step).toFixed(used[0].step > 1e-3 ? 0 : 1)} steps beside ${nominal}.`,
      effect: `Read as ${nominal}, everything would drift by ${(Math.max(off, apart) * Math.abs(perStored[0])).toFixed(2)} px a frame.`,
      advice: isApart ? 'Re-centring takes it out.' : 'The detected encoding takes it out.',
      mend: isApart ? { kind: 'repair', step: { kind: 'recentre', on: true, xPx, yPx } } : { kind: 'reading' },
    });
  }
  const stuck = used.flatMap((s) => {
    const channel = pass.channels[shapes.indexOf(s)];
    return stuckIn(channel, s, pass.width, direction ? 0 : apply(encoding.zero)).map((at) => ({ ...at, name: shortName(s.name) }));
  });
  const clipped = stuck.reduce((n, s) => n + s.count, 0);
  if (clipped > 0)
    add({
      code: 'clippedRange',
      severity: 'warning',
      message: `${clipped} values are stuck at the end of the range (${stuck.map((s) => `${s.name} at ${s.value.toPrecision(3)}`).join(', ')}): the range was too small for this frame.`,
      effect: 'The fastest parts get streaks that are too short and all of one length.',
      advice: 'Continue the motion from the unclipped pixels beside them, or ask for the pass with a larger range.',
      mend: { kind: 'repair', step: { kind: 'fillHoles', on: true, clipped: true } },
    });
  const stepPx = Math.max(...perStored.map(Math.abs)) / 255;
  if (used[0].type === 'u8' && stepPx > 0.25)
    add({
      code: 'coarseSteps',
      severity: stepPx > COARSE_PX ? 'warning' : 'info',
      message: `One step of 8 bits is ${stepPx.toFixed(2)} px: finer motion is not in the pass.`,
      effect: 'Slow things jump between lengths, and long streaks show steps in their direction.',
      advice: direction
        ? 'Ask for 16 bits or float.'
        : 'Smooth the steps where the motion changes slowly; better, ask for 16 bits or float.',
      mend: direction ? null : { kind: 'repair', step: { kind: 'smoothSteps', on: true } },
    });
  const bad = used.reduce((n, s) => n + s.notFinite, 0);
  if (bad > 0)
    add({
      code: 'badPixels',
      severity: 'warning',
      message: `${bad} values are NaN or infinite.`,
      effect: 'Those pixels have no vector and stay sharp.',
      advice: 'Replace them from the valid pixels beside them.',
      mend: { kind: 'repair', step: { kind: 'fillHoles', on: true, clipped: false } },
    });
  return out;
}

function shortName(name: string): string {
  return name.slice(name.lastIndexOf('.') + 1);
}
