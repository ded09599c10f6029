import { isDataRole, roleOf, type Raster, type Role, type ShotDetail } from '@ivrex/contract';
import { peakSpeed, type DepthEncoding } from '@ivrex/core';
import { useMemo } from 'react';
import { useShownDepth } from '../api/depth';
import { pictureOf, type SidePicture } from './compare-state';
import { showData, type ShownPixels } from './data-picture';
import { isPlanLook } from './plan-looks';
import { shownFrame } from './Thumbnail';
import { rasterOf, useRaster, type RasterState } from './use-raster';
import type { AssembledView, ViewState } from './view-store';

/** What the viewer reads of the view: what changes with every move of the pointer is left out. */
export type SeenView = Omit<ViewState, 'pointer' | 'tuned' | 'pending' | 'audit'>;

/** The pictures that a look needs, as far as they are there. */
export interface Shown {
  /** What is looked at, or what its look is made of; with how far its loading is. */
  readonly main: Raster | null;
  readonly state: RasterState;
  readonly beauty: Raster | null;
  readonly plate: Raster | null;
  /** Data made visible: no display transform goes over them. */
  readonly data: ShownPixels | null;
  /** The assembled picture, and whether it is about to be followed by another one. */
  readonly whole: AssembledView | null;
  readonly isPassing: boolean;
  readonly sideA: SidePicture | null;
  readonly sideB: SidePicture | null;
  readonly blurred: ViewState['blurred'];
  /** Of the picture, in its pixels. */
  readonly width: number;
  readonly height: number;
  /** The fastest vector, pixels a frame. */
  readonly peak: number;
}

/** Loads what the look needs. The frame before stays until the next one is there, so that the picture does not blink. */
export function useShown(detail: ShotDetail, view: SeenView): Shown {
  const { frame, look } = view;
  const [element] = detail.settings.elements;
  const beautyState = useRaster(element.beauty, frame, 'picture');
  const pass = look === 'pass' ? (detail.passes.find((p) => p.id === view.shownPass) ?? null) : null;
  const role = pass === null ? 'beauty' : roleOf(detail.settings, pass),
    isData = isDataRole(role);
  // A reference has single frames: the nearest one stands for it. A gap in another pass is said.
  const passFrame = pass === null ? 0 : role === 'reference' ? shownFrame(pass, frame) : frame;
  const passState = useRaster(pass?.id ?? null, passFrame, isData ? 'planes' : 'picture', 1, isData ? null : view.tried);
  const platePass = view.under === 'plate' ? detail.passes.find((p) => roleOf(detail.settings, p) === 'plate') : undefined;
  const plate = rasterOf(useRaster(platePass?.id ?? null, frame, 'picture'));
  const beauty = rasterOf(beautyState),
    state = pass === null ? beautyState : passState,
    main = rasterOf(state);
  const shownDepth = useShownDepth(detail);
  const data = useDataPicture(view, isData ? main : null, role, pass !== null && pass.id === shownDepth.pass ? shownDepth.encoding : null);
  const whole = look === 'assembled' ? view.assembled : null,
    sideA = look === 'compare' ? pictureOf(view.sides.a) : null,
    sideB = look === 'compare' ? pictureOf(view.sides.b) : null,
    blurred = view.blurred?.frame === frame ? view.blurred : null;
  const { width, height } = look === 'assembled' ? detail.shot : (sideA ?? main?.header ?? detail.shot);
  const peak = useMemo(() => (view.field === null ? 0 : peakSpeed(view.field)), [view.field]);
  const isPassing = whole === null || whole.isOld === true || whole.frame !== frame;
  return useMemo(
    () => ({ main, state, beauty, plate, data, whole, isPassing, sideA, sideB, blurred, width, height, peak }),
    [main, state, beauty, plate, data, whole, isPassing, sideA, sideB, blurred, width, height, peak],
  );
}

function useDataPicture(view: SeenView, raster: Raster | null, role: Role, depth: DepthEncoding | null): ShownPixels | null {
  const { look, difference, residual, planLook, trustLook, chosen } = view;
  return useMemo(() => {
    if (look === 'difference') return difference;
    if (look === 'residual') return residual;
    if (look === 'trust') return trustLook;
    if (isPlanLook(look)) return planLook;
    return raster?.header.format === 'planes32f' ? showData(raster, role, chosen, depth) : null;
  }, [look, difference, residual, planLook, trustLook, raster, role, chosen, depth]);
}
