import { NO_FINISH, windowOfSize, type AssembledElement, type Finish } from '@ivrex/core';
import type { AssembleRequest, SizedElement, StillRequest } from '../tasks/assemble-task';
import type { BlurFrame, BlurredLight } from '../tasks/blur-frame';
import type { BlurPool, MadePicture } from '../tasks/blur-pool';

/** One element of one frame: what it is made from, and how it is laid into the picture. */
export type FrameElement = Pick<AssembledElement, 'blend' | 'opacity' | 'grade' | 'wantsGrain'> & {
  readonly name: string;
  readonly from:
    | { readonly kind: 'moving'; readonly frame: BlurFrame }
    | { readonly kind: 'still'; readonly request: StillRequest; readonly lights?: readonly BlurredLight[] };
};

/** Everything that one frame of an assembled shot reads and does. Plain data. */
export interface AssembledFrame extends Pick<AssembleRequest, 'width' | 'height' | 'pixelAspect' | 'frame' | 'below'> {
  /** From the farthest to the nearest. */
  readonly elements: readonly FrameElement[];
  readonly finish: Finish;
}

export interface MadeElement extends MadePicture {
  readonly width: number;
  readonly height: number;
  readonly warnings: readonly string[];
}

export interface AssembledMade extends MadePicture {
  readonly warnings: readonly string[];
}

/** How an element is made: those that were made already may be handed back. */
export type MakeElement = (element: FrameElement) => Promise<MadeElement>;

/** One element on its own, blurred. @throws IvrexError about the file that is at fault */
export async function makeElement(pool: BlurPool, { from, name }: FrameElement, signal?: AbortSignal): Promise<MadeElement> {
  if (from.kind === 'still') {
    const still = await pool.run<'still'>({ kind: 'still', request: from.request }, signal);
    const { made, warnings } = await pool.addLights(still, from.lights ?? [], signal);
    return { ...still, made: ['as it is', ...made].join('; '), warnings: about(name, [...still.warnings, ...warnings]) };
  }
  const blurred = await pool.blur(from.frame, signal);
  return { ...blurred, warnings: about(name, [...blurred.prepared.warnings, ...blurred.report.warnings]) };
}

/** One element as it is handed over: with its grade after the blur too. @throws IvrexError about the file that is at fault */
export async function makeLoneElement(
  pool: BlurPool,
  element: FrameElement,
  frame: number,
  signal?: AbortSignal,
  make: MakeElement = (e) => makeElement(pool, e, signal),
): Promise<MadeElement> {
  const made = await make(element);
  if (element.grade === null) return made;
  const { width, height, rgba } = made,
    { name, grade, wantsGrain } = element;
  const { rgba: graded } = await pool.run<'assemble'>(
    {
      kind: 'assemble',
      request: {
        width,
        height,
        pixelAspect: 1,
        frame,
        below: null,
        elements: [{ name, width, height, rgba, blend: 'over', opacity: 1, grade, wantsGrain }],
        finish: NO_FINISH,
      },
    },
    signal,
  );
  return { ...made, rgba: graded };
}

function about(name: string, warnings: readonly string[]): string[] {
  return warnings.map((w) => `${name}: ${w}`);
}

/** All elements over what is below them; one is made after the other, each over all threads. @throws IvrexError about the file that is at fault */
export async function assembleFrame(
  pool: BlurPool,
  { elements, ...rest }: AssembledFrame,
  signal?: AbortSignal,
  make: MakeElement = (e) => makeElement(pool, e, signal),
): Promise<AssembledMade> {
  const laid: SizedElement[] = [],
    made: string[] = [],
    warnings: string[] = [];
  for (const element of elements) {
    const picture = await make(element);
    const { name, blend, opacity, grade, wantsGrain } = element;
    laid.push({ name, blend, opacity, grade, wantsGrain, width: picture.width, height: picture.height, rgba: picture.rgba });
    made.push(`${name}: ${picture.made}`);
    warnings.push(...picture.warnings);
  }
  const assembled = await pool.run<'assemble'>({ kind: 'assemble', request: { ...rest, elements: laid } }, signal);
  return {
    ...assembled,
    displayWindow: windowOfSize(rest.width, rest.height),
    made: made.join('; '),
    warnings: [...warnings, ...assembled.warnings],
  };
}
