import { reachFrames, type SampleType, type Shutter } from '@ivrex/core';
import type { Element, Raster, ShotDetail } from '@ivrex/contract';
import { useEffect, useRef, useState } from 'react';
import { loadRaster, stampOf } from '../api/raster-cache';
import { isCryptomatte, ranksOf } from './data-picture';
import { sentenceOf } from '../api/request';
import { BlurPreview } from '../workers/blur-preview';
import type { FrameInputs, FrameRasters } from '../workers/blur-worker';
import { useView } from './view-store';

/** Plans are made for one of these reaches, so that dragging the shutter seldom needs a new one. */
const REACHES = [0.5, 1, 2, 4, 8, 16, 40];
const SETTLE_MS = 180;

/** Keeps the motion field and the blurred picture of the current frame up to date: a draft at once, the exact one at rest. */
export function useLiveBlur(detail: ShotDetail, shutter: Shutter): void {
  const preview = useRef<BlurPreview | null>(null);
  const frame = useView((s) => s.frame),
    look = useView((s) => s.look),
    set = useView((s) => s.set);
  const [inputs, setInputs] = useState<{ key: string; loaded: LoadedInputs } | null>(null);
  const [planned, setPlanned] = useState<{ key: string; frame: number } | null>(null);
  const proposed = useView((s) => s.proposed);
  const { settings } = detail;
  const [kept] = settings.elements;
  const unrepaired = useView((s) => s.unrepaired);
  // While nothing is agreed, the proposed reading can be looked at.
  const element = { ...kept, encoding: kept.encoding ?? proposed, repairs: unrepaired ? [] : kept.repairs };
  const wantsBlur = look === 'blurred' || look === 'wipe';
  const reach = REACHES.find((r) => r >= reachFrames(shutter)) ?? reachFrames(shutter);
  const fps = settings.fps ?? detail.passes.find((p) => p.id === element.beauty)?.fps ?? null;
  const { beauty, motion, depth, ids } = element;
  const fieldKey = JSON.stringify([
    beauty,
    motion,
    depth,
    ids,
    element.encoding,
    element.repairs,
    frame,
    fps,
    ...[beauty, motion, depth, ids].map(stampOf),
  ]);
  const { background, hidden } = settings;
  const key = `${fieldKey}/${settings.path}/${hidden}/${background ?? ''}/${stampOf(background)}/${reach}`;

  useEffect(() => {
    const made = new BlurPreview();
    preview.current = made;
    return () => {
      preview.current = null;
      made.close();
    };
  }, []);

  // The frame's passes and its decoded motion, whatever the look.
  useEffect(() => {
    let current = true;
    const ready = element.beauty !== null && element.motion !== null && element.encoding !== null && frame !== 0;
    if (!ready) {
      set({ field: null, blurred: null, report: null, problem: null, working: false });
      setInputs(null);
      return;
    }
    const work = async () => {
      const types = new Map(detail.passes.find((p) => p.id === element.motion)?.channels.map((c) => [c.name, c.type] as const) ?? []);
      const loaded = await loadInputs(element, types, frame, fps);
      const read = await preview.current?.decode(loaded);
      if (!current || read === undefined) return;
      set({ field: read.field, repaired: read.changed, problem: null });
      setInputs({ key: fieldKey, loaded });
    };
    work().catch(
      (error: unknown) => current && set({ field: null, blurred: null, report: null, problem: sentenceOf(error), working: false }),
    );
    return () => {
      current = false;
    };
    // `fieldKey` stands for everything that the decoded motion depends on.
  }, [fieldKey]);

  // The plan, made once a frame and reading: looking away and back does not make it again.
  useEffect(() => {
    if (!wantsBlur || inputs === null || inputs.key !== fieldKey || planned?.key === key) return;
    let current = true;
    set({ working: true });
    const work = async () => {
      const around = await loadAround(detail, element, frame, inputs.loaded);
      if (!current) return;
      const plan = await preview.current?.prepare({ ...inputs.loaded, ...around, path: settings.path, hidden, reachFrames: reach });
      if (!current || !plan) return;
      set({ report: plan.report, working: false });
      setPlanned({ key, frame });
    };
    work().catch((error: unknown) => current && set({ blurred: null, report: null, problem: sentenceOf(error), working: false }));
    return () => {
      current = false;
    };
  }, [key, fieldKey, inputs, wantsBlur]);

  useEffect(() => {
    if (planned === null || planned.key !== key || !wantsBlur) return;
    let current = true;
    const render = (quality: 'draft' | 'final') =>
      preview.current?.render({ shutter, quality, samples: settings.samples }).then((picture) => {
        if (current && picture) set({ blurred: { ...picture, frame: planned.frame } });
      });
    void render('draft');
    const rest = setTimeout(() => void render('final'), SETTLE_MS);
    return () => {
      current = false;
      clearTimeout(rest);
    };
  }, [planned, shutter.opens, shutter.closes, shutter.strength, settings.samples, wantsBlur]);
}

type LoadedInputs = Omit<FrameInputs, 'path' | 'hidden' | 'reachFrames' | keyof Around>;
type Around = Pick<FrameInputs, 'previous' | 'next' | 'background'>;

/** The frames before and after, where all their passes are there, and the clean background. What can't be loaded is done without. */
async function loadAround(detail: ShotDetail, element: Element, frame: number, now: LoadedInputs): Promise<Around> {
  const { hidden, background } = detail.settings;
  const passes = [element.beauty, element.motion, element.depth, element.ids].filter((pass) => pass !== null);
  const isThere = (f: number) => passes.every((pass) => detail.passes.find((p) => p.id === pass)?.frames?.includes(f) ?? false);
  const neighbour = async (f: number): Promise<FrameRasters | null> => {
    if (!isThere(f)) return null;
    const { width, height, rasters } = await loadRasters(element, now.motion.types, f);
    return width === now.width && height === now.height ? rasters : null;
  };
  const behind = async (): Promise<Uint16Array | null> => {
    if (background === null || hidden === 'off') return null;
    const { header, planes } = await loadRaster(background, frame, 'picture');
    return header.width === now.width && header.height === now.height ? (planes[0] as Uint16Array) : null;
  };
  const [previous, next, clean] = await Promise.all([orNull(neighbour(frame - 1)), orNull(neighbour(frame + 1)), orNull(behind())]);
  return { previous, next, background: clean };
}

function orNull<T>(work: Promise<T | null>): Promise<T | null> {
  return work.catch(() => null);
}

async function loadInputs(
  element: Element,
  types: ReadonlyMap<string, SampleType>,
  frame: number,
  fps: number | null,
): Promise<LoadedInputs> {
  if (element.encoding === null) throw new TypeError('the element is not complete');
  const { width, height, rasters } = await loadRasters(element, types, frame);
  return { ...rasters, width, height, repairs: element.repairs, encoding: element.encoding, fps };
}

async function loadRasters(
  { beauty, motion, depth, ids }: Element,
  types: ReadonlyMap<string, SampleType>,
  frame: number,
): Promise<{ width: number; height: number; rasters: FrameRasters }> {
  if (beauty === null || motion === null) throw new TypeError('the element is not complete');
  const [picture, vectors, distances, objects] = await Promise.all([
    loadRaster(beauty, frame, 'picture'),
    loadRaster(motion, frame, 'planes'),
    depth && loadRaster(depth, frame, 'planes'),
    ids && loadRaster(ids, frame, 'planes'),
  ]);
  const { width, height } = picture.header;
  const planes = new Map(vectors.header.names.map((name, i) => [name, vectors.planes[i] as Float32Array]));
  return {
    width,
    height,
    rasters: {
      beauty: picture.planes[0] as Uint16Array,
      motion: { width: vectors.header.width, height: vectors.header.height, planes, types },
      depth: distances && (atSize(distances, Math.max(0, distances.header.names.indexOf('Z')), width, height) as Float32Array),
      ids: objects && atSize(isCryptomatte(objects) ? nearestObjects(objects) : objects, 0, width, height),
    },
  };
}

/** The object that covers most of each pixel: the bits of its id, the same number in every frame. */
function nearestObjects(raster: Raster): PlainRaster {
  const { ids, coverages } = ranksOf(raster);
  const plane = Uint32Array.from(ids[0] ?? [], (id, i) => (coverages[0][i] > 0 ? id : 0));
  return { header: raster.header, planes: [plane] };
}

interface PlainRaster {
  readonly header: Pick<Raster['header'], 'width' | 'height'>;
  readonly planes: readonly (Float32Array | Uint16Array | Uint32Array)[];
}

/** One plane at the beauty's size, nearest pixels. */
function atSize(raster: PlainRaster, plane: number, width: number, height: number): Float32Array | Uint32Array {
  const src = raster.planes[plane] as Float32Array | Uint32Array;
  const { width: w, height: h } = raster.header;
  if (w === width && h === height) return src;
  const out = src instanceof Uint32Array ? new Uint32Array(width * height) : new Float32Array(width * height);
  for (let i = 0; i < out.length; i++)
    out[i] = src[Math.floor((Math.floor(i / width) * h) / height) * w + Math.floor(((i % width) * w) / width)];
  return out;
}
