import { isDataRole, roleOf, type Raster, type ShotDetail } from '@ivrex/contract';
import { peakSpeed, shutterAt, type ShutterPlan } from '@ivrex/core';
import { useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { showData } from './data-picture';
import { pictureOf } from './compare-state';
import { edgeOf, modeOf, modeOfCompare } from './draw-mode';
import { GlPicture } from './gl-picture';
import { drawOverlay } from './overlay';
import { messageOf, messageOfSides, noteOf, noteOfAssembled, noteOfCompare } from './picture-words';
import { fitPlacement } from './placement';
import { isPlanLook } from './plan-looks';
import { useCanvasSize } from './use-canvas-size';
import { rasterOf, useRaster } from './use-raster';
import { shownFrame } from './Thumbnail';
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

/** Loads what the look needs and draws it whenever any of it changes. */
export function usePictureCanvas(detail: ShotDetail, shutterPlan: ShutterPlan) {
  const canvas = useRef<HTMLCanvasElement>(null),
    overlay = useRef<HTMLCanvasElement>(null),
    picture = useRef<GlPicture | null>(null);
  // These change often and nothing here: they are left out.
  const view = useView(useShallow((state) => ({ ...state, pointer: null, tuned: null, pending: null, audit: null })));
  const [broken, setBroken] = useState<string | null>(null);
  const size = useCanvasSize(canvas, overlay);
  const [element] = detail.settings.elements;
  const beautyState = useRaster(element.beauty, view.frame, 'picture');
  const shown = view.look === 'pass' ? (detail.passes.find((p) => p.id === view.shownPass) ?? null) : null;
  const role = shown === null ? 'beauty' : roleOf(detail.settings, shown);
  const isData = isDataRole(role);
  const passState = useRaster(
    shown?.id ?? null,
    // A reference has single frames: the nearest one stands for it. A gap in another pass is said.
    shown === null ? 0 : role === 'reference' ? shownFrame(shown, view.frame) : view.frame,
    isData ? 'planes' : 'picture',
    1,
    isData ? null : view.tried,
  );
  const plate = detail.passes.find((p) => roleOf(detail.settings, p) === 'plate') ?? null;
  const plateState = useRaster(view.under === 'plate' ? (plate?.id ?? null) : null, view.frame, 'picture');
  const beauty = rasterOf(beautyState),
    plateRaster = rasterOf(plateState);
  const mainState = shown === null ? beautyState : passState;
  const main = rasterOf(mainState);
  const data = useMemo(
    () =>
      view.look === 'difference'
        ? view.difference
        : view.look === 'residual'
          ? view.residual
          : isPlanLook(view.look)
            ? view.planLook
            : view.look === 'trust'
              ? view.trustLook
              : isData && main !== null && main.header.format === 'planes32f'
                ? showData(main, role, view.chosen)
                : null,
    [view.look, view.difference, view.residual, view.planLook, view.trustLook, isData, main, role, view.chosen],
  );
  // The frame before stays until the next one is there, so that the picture does not blink.
  const whole = view.look === 'assembled' ? view.assembled : null,
    isPassing = whole === null || whole.isOld === true || whole.frame !== view.frame;
  const sideA = view.look === 'compare' ? pictureOf(view.sides.a) : null,
    sideB = view.look === 'compare' ? pictureOf(view.sides.b) : null;
  const shownSize = view.look === 'assembled' ? detail.shot : (sideA ?? main?.header ?? detail.shot),
    { width, height } = shownSize;
  const peak = useMemo(() => (view.field === null ? 0 : peakSpeed(view.field)), [view.field]);
  const isBeside = view.look === 'compare' && view.compare.way === 'beside';
  const placement = useMemo(() => {
    if (view.placement !== null) return view.placement;
    if (!isBeside) return fitPlacement(size, { width, height });
    // Half the canvas each: the whole picture fits there.
    const half = fitPlacement({ width: size.width / 2, height: size.height }, { width, height });
    return { ...half, x: half.x + size.width / 4 };
  }, [view.placement, size, width, height, isBeside]);
  const blurred = view.blurred?.frame === view.frame ? view.blurred : null;

  useLayoutEffect(() => {
    if (canvas.current === null || picture.current !== null) return;
    try {
      picture.current = new GlPicture(canvas.current);
    } catch (error) {
      setBroken(error instanceof Error ? error.message : String(error));
    }
  }, []);

  const { lut } = view;
  const { look, wipe, exposure, gamma, saturation, channel, under, field, needles, pins, paths, plan, compare, flicked, streaks, drawn } =
    view;
  const edge = useMemo(() => edgeOf(look, wipe, compare), [look, wipe, compare]);
  const transform = detail.settings.displayTransform;
  useEffect(() => {
    const gl = picture.current;
    if (gl === null || size.width === 0) return;
    if (look === 'compare') {
      if (sideA !== null) gl.setTexture('a', { kind: 'rgba16f', width: sideA.width, height: sideA.height, data: sideA.halves });
      if (sideB !== null) gl.setTexture('b', { kind: 'rgba16f', width: sideB.width, height: sideB.height, data: sideB.halves });
    } else if (whole !== null) gl.setTexture('a', { kind: 'rgba16f', width: whole.width, height: whole.height, data: whole.halves });
    else if (data !== null) gl.setTexture('a', { kind: 'rgba32f', width: data.width, height: data.height, data: data.rgba });
    else if (main?.header.format === 'rgba16f')
      gl.setTexture('a', { kind: 'rgba16f', width: main.header.width, height: main.header.height, data: main.planes[0] as Uint16Array });
    if (plateRaster !== null)
      gl.setTexture('plate', {
        kind: 'rgba16f',
        width: plateRaster.header.width,
        height: plateRaster.header.height,
        data: plateRaster.planes[0] as Uint16Array,
      });
    if (blurred !== null && look !== 'compare')
      gl.setTexture('b', { kind: 'rgba16f', width: blurred.width, height: blurred.height, data: blurred.halves });
    if (field !== null && (look === 'directions' || look === 'speed'))
      gl.setTexture('field', { kind: 'rg32f', width: field.width, height: field.height, data: field.toNext });
    gl.setLut(lut);
    gl.draw({
      mode:
        look === 'compare'
          ? modeOfCompare(compare, flicked, sideA !== null, sideB !== null)
          : modeOf(look, blurred !== null, field !== null),
      isData: data !== null,
      placement,
      width,
      height,
      edge,
      gain: compare.gain,
      signed: compare.signed,
      exposure,
      gamma,
      saturation,
      channel,
      under: under === 'plate' && plateRaster === null ? 'checker' : under,
      transform: typeof transform === 'string' ? transform : lut === null ? 'linear' : 'lut',
      lutInput: typeof transform === 'string' ? 'linear' : transform.input,
      peakSpeed: peak,
    });
    // For tests and benches: what the screen shows now.
    if (canvas.current)
      Object.assign(canvas.current.dataset, {
        shows:
          look === 'compare'
            ? `compare:${compare.way}:${view.sides.a.status}:${view.sides.b.status}`
            : look === 'assembled'
              ? `assembled:${whole === null || isPassing ? 'old' : whole.quality}:${whole ? Math.round(whole.milliseconds) : 0}`
              : `${look}:${blurred?.isOld === true ? 'old' : (blurred?.quality ?? 'none')}:${blurred ? Math.round(blurred.milliseconds) : 0}`,
        frame: mainState.status === 'ready' ? String(view.frame) : '',
      });
  }, [
    size,
    data,
    main,
    whole,
    isPassing,
    mainState.status,
    view.frame,
    plateRaster,
    blurred,
    field,
    look,
    placement,
    width,
    height,
    edge,
    compare,
    flicked,
    sideA,
    sideB,
    view.sides,
    exposure,
    gamma,
    saturation,
    channel,
    under,
    transform,
    lut,
    peak,
  ]);

  useEffect(() => {
    const context = overlay.current?.getContext('2d');
    if (context)
      drawOverlay(context, {
        placement,
        width,
        height,
        ratio: size.ratio,
        field,
        needles,
        paths: paths && plan !== null ? { plan, shutter: shutterAt(shutterPlan, view.frame), limits: shutterPlan, width } : null,
        edge: (look === 'wipe' && blurred !== null) || (look === 'compare' && compare.way === 'wipe') ? edge : null,
        edgeTurns: look === 'compare',
        names: look === 'compare' ? ['A', 'B'] : ['sharp', 'blurred'],
        beside: isBeside,
        region: look === 'compare' && compare.scope === 'region' ? compare.region : null,
        streaks: streaks !== null && streaks.frame === view.frame ? streaks.streaks : [],
        drawn: drawn === null ? null : { ...drawn, isLine: view.draws === 'streak' },
        pins,
        raster: look === 'sharp' || look === 'pass' ? main : null,
      });
  }, [
    size,
    placement,
    width,
    height,
    field,
    needles,
    paths,
    plan,
    shutterPlan,
    view.frame,
    look,
    blurred,
    edge,
    compare,
    streaks,
    drawn,
    view.draws,
    pins,
    main,
  ]);

  const scene: Scene = {
    frame: view.frame,
    width,
    height,
    ratio: size.ratio,
    placement,
    peak,
    beauty,
    showsDirections: view.look === 'directions' && view.field !== null,
    note:
      view.look === 'contact'
        ? null
        : view.look === 'difference' || view.look === 'residual' || view.look === 'trust' || isPlanLook(view.look)
          ? (data?.note ?? null)
          : data !== null
            ? `data, no display transform: ${data.note}`
            : view.look === 'compare'
              ? noteOfCompare(compare, view.sides)
              : view.look === 'assembled'
                ? noteOfAssembled(whole, view.frame)
                : noteOf(view.look, blurred),
    message:
      broken ??
      (view.look === 'compare'
        ? messageOfSides(view.sides)
        : (view.problem ?? messageOf(mainState, view.look, detail, view.field !== null))),
  };
  return { canvas, overlay, scene };
}
