import type { MatchLocks, ShutterMatch, Undetermined } from './shutter-match';

type Measured = Omit<ShutterMatch, 'undetermined' | 'notes' | 'confidence'>;

interface Place {
  readonly locks: MatchLocks;
  readonly a: number;
  readonly b: number;
  readonly reach: number;
  /** Mean square with the exposure mirrored in time; null when it can't be tried. */
  readonly mirrored: number | null;
  /** Other exposures that fit as well. */
  readonly rivals: readonly { readonly a: number; readonly b: number }[];
}

/** Ends that scatter more than this, in frames, are not known. */
const KNOWN_FRAMES = 0.06;

/** What a match does not tell, in words, and how far it can be built on. */
export function doubts(
  m: Measured,
  { locks, a, b, reach, mirrored, rivals }: Place,
): Pick<ShutterMatch, 'undetermined' | 'notes' | 'confidence'> {
  const undetermined: Undetermined[] = [],
    notes: string[] = [];
  const gain = m.sharpResidual === 0 ? 0 : 1 - m.residual / m.sharpResidual;
  if (locks.strength === null && m.strengthError === null) {
    undetermined.push('strength');
    notes.push(
      'Strength and length of the exposure make the same picture: twice the strength under half the shutter. Strength stays at 1; give both ends of the shutter to have it found.',
    );
  }
  if (gain < 0.1 && m.residual > 0.002) {
    undetermined.push('everything');
    notes.push(
      'No shutter brings the picture clearly closer to the reference than no blur does. Is it a picture of the same frame, blurred in the render?',
    );
  } else {
    if ((m.opensError ?? 0) > KNOWN_FRAMES) undetermined.push('opens');
    if ((m.closesError ?? 0) > KNOWN_FRAMES) undetermined.push('closes');
    if (undetermined.includes('opens') || undetermined.includes('closes'))
      notes.push('Parts of the picture disagree about when the shutter opens or closes: too little moves, or the reference is too noisy.');
    const phase = Math.abs(a + b) / 2;
    const isMirrored = mirrored !== null && phase > 0.02 && Math.sqrt(mirrored) < 1.08 * m.residual + 1e-5;
    if (isMirrored || rivals.length > 0) {
      undetermined.push('direction');
      notes.push(
        rivals.length > 0
          ? `Another exposure fits as well, from ${rivals[0].a.toFixed(2)} to ${rivals[0].b.toFixed(2)} frames: what moves here looks alike at those times. Take a frame with another motion.`
          : 'The same exposure mirrored in time fits as well: what moves here looks alike forwards and backwards. Take a frame with another motion.',
      );
    }
  }
  if (Math.max(Math.abs(a), Math.abs(b)) > reach - 0.03)
    notes.push(`The exposure reaches the longest that was looked for, ${reach} frames from the frame: it may be longer.`);
  return { undetermined, notes, confidence: confidenceOf(m, gain, undetermined) };
}

/** Below a tenth of what there was without blur nothing is left to explain; the scatter of the ends counts as much. */
function confidenceOf(m: Measured, gain: number, undetermined: readonly Undetermined[]): number {
  if (undetermined.includes('everything')) return 0;
  const fits = Math.min(1, Math.max(0, gain / 0.75)),
    scatter = Math.max(m.opensError ?? 0, m.closesError ?? 0);
  const steady = 1 / (1 + (scatter / KNOWN_FRAMES) ** 2);
  return fits * steady * (undetermined.includes('direction') ? 0.4 : 1);
}
