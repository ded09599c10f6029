import type { Raster, ShotDetail } from '@ivrex/contract';
import { shutterAt, type ShutterPlan } from '@ivrex/core';
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { drawShown, nameOfShown } from './draw-shown';
import { edgeOf } from './draw-mode';
import { GlPicture } from './gl-picture';
import { drawOverlay } from './overlay';
import { messageOf, messageOfSides, noteOf, noteOfAssembled, noteOfCompare } from './picture-words';
import { fitPlacement } from './placement';
import { isPlanLook } from './plan-looks';
import { useCanvasSize } from './use-canvas-size';
import { useShown, type SeenView, type Shown } from './use-shown';
import { useView, type Placement } from './view-store';

export interface Scene {
  readonly frame: number;
  readonly width: number;
  readonly height: number;
  readonly ratio: number;
  readonly placement: Placement;
  readonly peak: number;
  readonly showsDirections: boolean;
  readonly beauty: Raster | null;
  readonly note: string | null;
  readonly message: string | null;
}

/** Draws what the look needs whenever any of it changes. */
export function usePictureCanvas(detail: ShotDetail, shutterPlan: ShutterPlan) {
  const canvas = useRef<HTMLCanvasElement>(null),
    overlay = useRef<HTMLCanvasElement>(null),
    picture = useRef<GlPicture | null>(null);
  const view: SeenView = useView(useShallow((state) => ({ ...state, pointer: null, tuned: null, pending: null, audit: null })));
  const [broken, setBroken] = useState<string | null>(null);
  const size = useCanvasSize(canvas, overlay);
  const shown = useShown(detail, view);
  const { width, height, main, blurred, peak } = shown;
  const { look, wipe, compare } = view;
  const transform = detail.settings.displayTransform;
  const isBeside = look === 'compare' && compare.way === 'beside';
  const placement = useMemo(() => {
    if (view.placement !== null) return view.placement;
    if (!isBeside) return fitPlacement(size, { width, height });
    // Half the canvas each: the whole picture fits there.
    const half = fitPlacement({ width: size.width / 2, height: size.height }, { width, height });
    return { ...half, x: half.x + size.width / 4 };
  }, [view.placement, size, width, height, isBeside]);
  const edge = useMemo(() => edgeOf(look, wipe, compare), [look, wipe, compare]);

  useLayoutEffect(() => {
    if (canvas.current === null || picture.current !== null) return;
    try {
      picture.current = new GlPicture(canvas.current);
    } catch (error) {
      setBroken(error instanceof Error ? error.message : String(error));
    }
  }, []);

  useEffect(() => {
    if (picture.current === null || size.width === 0) return;
    drawShown(picture.current, shown, view, { placement, edge, transform });
    if (canvas.current !== null)
      Object.assign(canvas.current.dataset, {
        shows: nameOfShown(shown, view),
        frame: shown.state.status === 'ready' ? String(view.frame) : '',
      });
  }, [size, shown, view, placement, edge, transform]);

  useEffect(() => {
    const context = overlay.current?.getContext('2d');
    if (!context) return;
    const { field, paths, plan, streaks, drawn } = view;
    drawOverlay(context, {
      placement,
      width,
      height,
      ratio: size.ratio,
      field,
      needles: view.needles,
      paths: paths && plan !== null ? { plan, shutter: shutterAt(shutterPlan, view.frame), limits: shutterPlan, width } : null,
      edge: (look === 'wipe' && blurred !== null) || (look === 'compare' && compare.way === 'wipe') ? edge : null,
      edgeTurns: look === 'compare',
      names: look === 'compare' ? ['A', 'B'] : ['sharp', 'blurred'],
      beside: isBeside,
      region: look === 'compare' && compare.scope === 'region' ? compare.region : null,
      streaks: streaks !== null && streaks.frame === view.frame ? streaks.streaks : [],
      drawn: drawn === null ? null : { ...drawn, isLine: view.draws === 'streak' },
      pins: view.pins,
      raster: look === 'sharp' || look === 'pass' ? main : null,
    });
  }, [size, shown, view, placement, edge, shutterPlan]);

  const message =
    broken ??
    (look === 'compare' ? messageOfSides(view.sides) : (view.problem ?? messageOf(shown.state, look, detail, view.field !== null)));
  const scene: Scene = {
    frame: view.frame,
    width,
    height,
    ratio: size.ratio,
    placement,
    peak,
    beauty: shown.beauty,
    showsDirections: look === 'directions' && view.field !== null,
    // Where there is no picture nothing is said about it.
    note: message === null ? noteOfLook(shown, view) : null,
    message,
  };
  return { canvas, overlay, scene };
}

/** What is said about the picture beside it. */
function noteOfLook({ data, whole, blurred }: Shown, { look, compare, sides, frame }: SeenView): string | null {
  if (look === 'contact') return null;
  if (look === 'difference' || look === 'residual' || look === 'trust' || isPlanLook(look)) return data?.note ?? null;
  if (data !== null) return `data, no display transform: ${data.note}`;
  if (look === 'compare') return noteOfCompare(compare, sides);
  return look === 'assembled' ? noteOfAssembled(whole, frame) : noteOf(look, blurred);
}
