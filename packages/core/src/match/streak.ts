import { fitBox } from './streak-box';
import { alongOf, profileAlong, STEP_PX, straighten, type Place, type PlateLight } from './streak-line';
import { track } from './streak-track';

export interface StreakMeasure {
  /** Where the thing was when the shutter opened and closed, or the other way round; pixels. */
  readonly from: Place;
  readonly to: Place;
  readonly lengthPx: number;
  readonly lengthErrorPx: number;
  /** How far it goes from frame to frame. */
  readonly speedPx: number;
  readonly speedErrorPx: number;
  readonly angleDeg: number;
  readonly angleErrorDeg: number;
  /** 0..1: how alike it looks in the neighbouring frames. */
  readonly likeness: number;
  /** Brightness along the streak above its surroundings, `STEP_PX` apart, and the fitted one. */
  readonly profile: {
    readonly start: number;
    readonly step: number;
    readonly measured: readonly number[];
    readonly fitted: readonly number[];
  };
  readonly notes: readonly string[];
}

/** Why nothing could be measured. */
export interface StreakRefusal {
  readonly refused: string;
}

const SHORTEST_PX = 4;

/**
 * The shutter angle from one streak of a small thing: its length by fitting a box with soft ends to the brightness along it, its speed by
 * finding it again in the frames before and after. A thing smaller than its streak only softens the ends.
 */
export function measureStreak(plate: PlateLight, drawnFrom: Place, drawnTo: Place): StreakMeasure | StreakRefusal {
  const drawnPx = Math.hypot(drawnTo.x - drawnFrom.x, drawnTo.y - drawnFrom.y);
  if (drawnPx < SHORTEST_PX) return { refused: `Draw along the whole streak: ${SHORTEST_PX} pixels at least.` };
  const line = straighten(plate, drawnFrom, drawnTo);
  const profile = profileAlong(plate, line);
  const box = fitBox(profile.values, line.lengthPx);
  if (box === null)
    return {
      refused: 'Nothing along this line stands out from its surroundings with a beginning and an end. Draw along a bright or dark streak.',
    };
  const lengthPx = box.end - box.start,
    start = profile.start + box.start,
    end = profile.start + box.end;
  const from = alongOf(line, start),
    to = alongOf(line, end);
  const found = track(plate, line, from, to, lengthPx);
  if (found === null)
    return {
      refused:
        'It was not found again in the frame before or after. Take a streak that is in the picture in all three, away from others like it.',
    };
  const angleDeg = (360 * lengthPx) / found.speedPx;
  const relative = Math.hypot(box.error / lengthPx, found.errorPx / found.speedPx);
  const notes: string[] = [];
  if (box.softness * 2.5 > lengthPx)
    notes.push('The thing is about as long as its streak: the length is not sure. Take a smaller or a faster thing.');
  if (found.sides === 1) notes.push('It was found in one neighbouring frame only: that its speed stays is taken on trust.');
  return {
    from,
    to,
    lengthPx,
    lengthErrorPx: box.error,
    speedPx: found.speedPx,
    speedErrorPx: found.errorPx,
    angleDeg,
    angleErrorDeg: angleDeg * relative,
    likeness: found.likeness,
    profile: { start: profile.start, step: STEP_PX, measured: profile.values, fitted: box.fitted },
    notes,
  };
}

/** Several streaks of one shutter, by their errors; what they disagree by widens the error. Null without any. */
export function combineStreaks(
  streaks: readonly Pick<StreakMeasure, 'angleDeg' | 'angleErrorDeg'>[],
): { angleDeg: number; errorDeg: number } | null {
  if (streaks.length === 0) return null;
  let weight = 0,
    sum = 0;
  for (const { angleDeg, angleErrorDeg } of streaks) {
    const w = 1 / Math.max(0.5, angleErrorDeg) ** 2;
    weight += w;
    sum += w * angleDeg;
  }
  const angleDeg = sum / weight;
  let scatter = 0;
  for (const s of streaks) scatter += (s.angleDeg - angleDeg) ** 2 / Math.max(0.5, s.angleErrorDeg) ** 2;
  const excess = streaks.length > 1 ? Math.max(1, Math.sqrt(scatter / (streaks.length - 1))) : 1;
  return { angleDeg, errorDeg: excess / Math.sqrt(weight) };
}
