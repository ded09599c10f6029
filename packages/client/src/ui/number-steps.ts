/** What a number may be, and how far one step goes. */
export interface NumberSteps {
  readonly step: number;
  readonly min: number;
  readonly max: number;
  readonly digits: number;
}

/** Pixels of dragging that are one step. */
const PIXELS_A_STEP = 3;

interface Keys {
  readonly shiftKey: boolean;
  readonly altKey: boolean;
}

/** Shift goes ten times as far, Alt a tenth. */
function reach(step: number, { shiftKey, altKey }: Keys): number {
  return step * (shiftKey ? 10 : altKey ? 0.1 : 1);
}

export function limited(value: number, { min, max, digits }: NumberSteps): number {
  return Number(Math.min(max, Math.max(min, value)).toFixed(digits));
}

/** The number after an arrow key; null for other keys. */
export function nudged(value: number, key: string, keys: Keys, steps: NumberSteps): number | null {
  if (key !== 'ArrowUp' && key !== 'ArrowDown') return null;
  return limited(value + reach(steps.step, keys) * (key === 'ArrowUp' ? 1 : -1), steps);
}

/** The number after its label was dragged by so many pixels. */
export function dragged(start: number, pixels: number, keys: Keys, steps: NumberSteps): number {
  return limited(start + Math.round(pixels / PIXELS_A_STEP) * reach(steps.step, keys), steps);
}
