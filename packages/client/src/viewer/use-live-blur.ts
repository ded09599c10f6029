import { reachFrames, type SampleType, type Shutter } from '@ivrex/core';
import type { Element, Raster, ShotDetail } from '@ivrex/contract';
import { useEffect, useRef, useState } from 'react';
import { loadRaster, stampOf } from '../api/raster-cache';
import { isCryptomatte, ranksOf } from './data-picture';
import { sentenceOf } from '../api/request';
import { BlurPreview } from '../workers/blur-preview';
import type { FrameInputs } from '../workers/blur-worker';
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
  const key = `${fieldKey}/${settings.path}/${reach}`;

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
      const plan = await preview.current?.prepare({ ...inputs.loaded, path: settings.path, reachFrames: reach });
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

type LoadedInputs = Omit<FrameInputs, 'path' | 'reachFrames'>;

async function loadInputs(
  element: Element,
  types: ReadonlyMap<string, SampleType>,
  frame: number,
  fps: number | null,
): Promise<LoadedInputs> {
  if (element.beauty === null || element.motion === null || element.encoding === null) throw new TypeError('the element is not complete');
  const [beauty, motion, depth, ids] = await Promise.all([
    loadRaster(element.beauty, frame, 'picture'),
    loadRaster(element.motion, frame, 'planes'),
    element.depth && loadRaster(element.depth, frame, 'planes'),
    element.ids && loadRaster(element.ids, frame, 'planes'),
  ]);
  const { width, height } = beauty.header;
  const planes = new Map(motion.header.names.map((name, i) => [name, motion.planes[i] as Float32Array]));
  return {
    width,
    height,
    beauty: beauty.planes[0] as Uint16Array,
    motion: { width: motion.header.width, height: motion.header.height, planes, types },
    repairs: element.repairs,
    depth: depth && atSize(depth, Math.max(0, depth.header.names.indexOf('Z')), width, height),
    ids: ids && atSize(isCryptomatte(ids) ? nearestObjects(ids) : ids, 0, width, height),
    encoding: element.encoding,
    fps,
  };
}

/** The object that covers most of each pixel, counted from 1: the bits of an id need not be a usable number. */
function nearestObjects(raster: Raster): Raster {
  const { ids, coverages } = ranksOf(raster),
    numbers = new Map<number, number>();
  const plane = Float32Array.from(ids[0] ?? [], (id, i) => {
    if (!(coverages[0][i] > 0)) return 0;
    const known = numbers.get(id) ?? numbers.size + 1;
    numbers.set(id, known);
    return known;
  });
  return { header: { ...raster.header, names: ['id'] }, planes: [plane] };
}

/** One plane at the beauty's size, nearest pixels. */
function atSize(raster: Raster, plane: number, width: number, height: number): Float32Array {
  const src = raster.planes[plane] as Float32Array;
  const { width: w, height: h } = raster.header;
  if (w === width && h === height) return src;
  const out = new Float32Array(width * height);
  for (let i = 0; i < out.length; i++)
    out[i] = src[Math.floor((Math.floor(i / width) * h) / height) * w + Math.floor(((i % width) * w) / width)];
  return out;
}
