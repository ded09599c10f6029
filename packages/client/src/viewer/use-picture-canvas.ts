import { isDataRole, roleOf, type Raster, type ShotDetail } from '@ivrex/contract';
import { peakSpeed, shutterAt, type ShutterPlan } from '@ivrex/core';
import { useEffect, useLayoutEffect, useMemo, useRef, useState, type RefObject } from 'react';
import { useShallow } from 'zustand/react/shallow';
import { showData } from './data-picture';
import { GlPicture } from './gl-picture';
import { drawOverlay } from './overlay';
import { fitPlacement } from './placement';
import { isPlanLook } from './plan-looks';
import { rasterOf, useRaster, type RasterState } from './use-raster';
import { shownFrame } from '../ui/Thumbnail';
import { useView, type Look, type Placement } from './view-store';

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
  // The pointer moves often and changes nothing here.
  const view = useView(
    useShallow(
      ({
        frame,
        look,
        shownPass,
        needles,
        under,
        channel,
        exposure,
        gamma,
        saturation,
        wipe,
        placement,
        pins,
        field,
        blurred,
        problem,
        chosen,
        tried,
        lut,
        difference,
        residual,
        paths,
        plan,
        planLook,
      }) => ({
        frame,
        look,
        shownPass,
        needles,
        under,
        channel,
        exposure,
        gamma,
        saturation,
        wipe,
        placement,
        pins,
        field,
        blurred,
        problem,
        chosen,
        tried,
        lut,
        difference,
        residual,
        paths,
        plan,
        planLook,
      }),
    ),
  );
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
            : isData && main !== null && main.header.format === 'planes32f'
              ? showData(main, role, view.chosen)
              : null,
    [view.look, view.difference, view.residual, view.planLook, isData, main, role, view.chosen],
  );
  const width = main?.header.width ?? detail.shot.width,
    height = main?.header.height ?? detail.shot.height;
  const peak = useMemo(() => (view.field === null ? 0 : peakSpeed(view.field)), [view.field]);
  const placement = useMemo(() => view.placement ?? fitPlacement(size, { width, height }), [view.placement, size, width, height]);
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
  const { look, wipe, exposure, gamma, saturation, channel, under, field, needles, pins, paths, plan } = view;
  const transform = detail.settings.displayTransform;
  useEffect(() => {
    const gl = picture.current;
    if (gl === null || size.width === 0) return;
    if (data !== null) gl.setTexture('a', { kind: 'rgba32f', width: data.width, height: data.height, data: data.rgba });
    else if (main?.header.format === 'rgba16f') gl.setTexture('a', { kind: 'rgba16f', width, height, data: main.planes[0] as Uint16Array });
    if (plateRaster !== null)
      gl.setTexture('plate', {
        kind: 'rgba16f',
        width: plateRaster.header.width,
        height: plateRaster.header.height,
        data: plateRaster.planes[0] as Uint16Array,
      });
    if (blurred !== null) gl.setTexture('b', { kind: 'rgba16f', width: blurred.width, height: blurred.height, data: blurred.halves });
    if (field !== null && (look === 'directions' || look === 'speed'))
      gl.setTexture('field', { kind: 'rg32f', width: field.width, height: field.height, data: field.toNext });
    gl.setLut(lut);
    gl.draw({
      mode: modeOf(look, blurred !== null, field !== null),
      isData: data !== null,
      placement,
      width,
      height,
      wipe,
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
        shows: `${look}:${blurred?.isOld === true ? 'old' : (blurred?.quality ?? 'none')}:${blurred ? Math.round(blurred.milliseconds) : 0}`,
        frame: mainState.status === 'ready' ? String(view.frame) : '',
      });
  }, [
    size,
    data,
    main,
    mainState.status,
    view.frame,
    plateRaster,
    blurred,
    field,
    look,
    placement,
    width,
    height,
    wipe,
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
        wipe: look === 'wipe' && blurred !== null ? wipe : null,
        pins,
        raster: look === 'sharp' || look === 'pass' ? main : null,
      });
  }, [size, placement, width, height, field, needles, paths, plan, shutterPlan, view.frame, look, blurred, wipe, pins, main]);

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
        : view.look === 'difference' || view.look === 'residual' || isPlanLook(view.look)
          ? (data?.note ?? null)
          : data !== null
            ? `data, no display transform: ${data.note}`
            : noteOf(view.look, blurred),
    message: broken ?? view.problem ?? messageOf(mainState, view.look, detail, view.field !== null),
  };
  return { canvas, overlay, scene };
}

function modeOf(look: Look, hasBlur: boolean, hasField: boolean): 'a' | 'b' | 'wipe' | 'directions' | 'speed' {
  switch (look) {
    case 'sharp':
    case 'pass':
    case 'contact':
    case 'difference':
    case 'residual':
    case 'layers':
    case 'bends':
    case 'hidden':
    case 'slices':
      return 'a';
    case 'blurred':
      return hasBlur ? 'b' : 'a';
    case 'wipe':
      return hasBlur ? 'wipe' : 'a';
    case 'directions':
    case 'speed':
      return hasField ? look : 'a';
  }
}

function noteOf(look: Look, blurred: { quality: string; slices: number; isOld?: boolean } | null): string | null {
  if (look !== 'blurred' && look !== 'wipe') return null;
  return blurred === null || (blurred.isOld === true && blurred.quality === 'final')
    ? 'making the blur'
    : blurred.quality === 'draft'
      ? 'draft'
      : `exact, up to ${blurred.slices} slices`;
}

function messageOf(state: RasterState, look: Look, detail: ShotDetail, hasField: boolean): string | null {
  if (state.status === 'failed') return state.message;
  const [element] = detail.settings.elements;
  if (element.beauty === null && look !== 'pass') return 'No pass is marked as beauty. Choose one in step Passes.';
  if ((['blurred', 'wipe', 'directions', 'speed', 'residual'].includes(look) || isPlanLook(look)) && element.encoding === null && !hasField)
    return 'This look needs decoded motion. Say how it is stored in step Motion.';
  return null;
}

interface CanvasSize {
  readonly width: number;
  readonly height: number;
  readonly ratio: number;
}

function useCanvasSize(...canvases: RefObject<HTMLCanvasElement | null>[]): CanvasSize {
  const [size, setSize] = useState<CanvasSize>({ width: 0, height: 0, ratio: 1 });
  const first = canvases[0];
  useLayoutEffect(() => {
    const parent = first.current?.parentElement;
    if (!parent) return;
    const measure = () => {
      const ratio = window.devicePixelRatio || 1;
      setSize({ width: Math.round(parent.clientWidth * ratio), height: Math.round(parent.clientHeight * ratio), ratio });
    };
    const observer = new ResizeObserver(measure);
    observer.observe(parent);
    measure();
    return () => observer.disconnect();
  }, [first]);
  useLayoutEffect(() => {
    for (const { current } of canvases) {
      if (current !== null && (current.width !== size.width || current.height !== size.height))
        Object.assign(current, { width: size.width, height: size.height });
    }
  });
  return size;
}
