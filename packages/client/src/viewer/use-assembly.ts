import {
  blurredElement,
  gradeWhenOf,
  lightsOf,
  opacityAt,
  passBelow,
  shutterOfElement,
  stackOf,
  type Element,
  type Pass,
  type ShotDetail,
  type ShotSettings,
} from '@ivrex/contract';
import { plateFrame, type Lens } from '@ivrex/core';
import { useEffect, useRef } from 'react';
import { loadRaster, stampOf } from '../api/raster-cache';
import { sentenceOf } from '../api/request';
import { AssemblyPreview, type AssemblyJob, type ElementJob, type LightJob } from './assembly-preview';
import { depthEncodingOf } from '../api/depth';
import { depthPlane, loadMattePlanes, loadParts, shapeInputs } from './blur-inputs';
import { blurredLights } from './blur-keys';
import { movingJob } from './moving-job';
import { useView } from './view-store';

const SETTLE_MS = 180,
  KEPT_MS = 60000;

/** Keeps the assembled picture of the current frame up to date while it is looked at: a draft at once, the exact one at rest. */
export function useAssembly(whole: ShotDetail): void {
  const look = useView((s) => s.look),
    frame = useView((s) => s.frame),
    playing = useView((s) => s.playing),
    solo = useView((s) => s.solo),
    tuned = useView((s) => s.tuned);
  const preview = useRef<AssemblyPreview | null>(null);
  const settings = tuned ?? whole.settings;
  const isShown = look === 'assembled' && frame !== 0;
  const key = isShown ? JSON.stringify([settings, frame, solo, whole.look, whole.passes.map((p) => stampOf(p.id))]) : '';
  useEffect(
    () => () => {
      preview.current?.close();
      preview.current = null;
    },
    [],
  );
  useEffect(() => {
    if (!isShown) {
      preview.current?.cancel();
      // What it holds is much; who comes back soon finds it.
      const rest = setTimeout(() => {
        preview.current?.close();
        preview.current = null;
      }, KEPT_MS);
      return () => clearTimeout(rest);
    }
    preview.current ??= new AssemblyPreview();
    const bench = preview.current;
    let current = true;
    const { assembled } = useView.getState();
    if (assembled !== null) useView.setState({ assembled: { ...assembled, isOld: true } });
    const problem = problemOf({ ...whole, settings }, solo);
    if (problem !== null) {
      useView.setState({ problem, working: false });
      return;
    }
    const job = jobOf({ ...whole, settings }, frame, solo);
    const show = async (quality: 'draft' | 'final') => {
      const made = await bench.make(job, quality);
      if (made === null || !current) return;
      const { notes, ...picture } = made;
      useView.setState({
        assembled: { ...picture, frame },
        assemblyNotes: notes,
        speeds: bench.speedsById(),
        problem: null,
        working: false,
      });
    };
    const failed = (error: unknown) => {
      if (current) useView.setState({ problem: sentenceOf(error), working: false });
    };
    useView.setState({ working: true, problem: null });
    const draft = show('draft').catch(failed);
    const rest = setTimeout(() => {
      void draft.then(() => (current && !useView.getState().playing ? show('final').catch(failed) : undefined));
    }, SETTLE_MS);
    return () => {
      current = false;
      clearTimeout(rest);
    };
  }, [key, isShown, playing]);
}

function shownElements({ settings }: ShotDetail, solo: string | null): Element[] {
  const stack = stackOf(settings);
  return solo === null ? stack.filter((e) => e.place.visible) : settings.elements.filter((e) => e.id === solo);
}

/** Why the picture can't be made at all. */
function problemOf(detail: ShotDetail, solo: string | null): string | null {
  for (const { name, beauty, motion, encoding } of shownElements(detail, solo)) {
    if (beauty === null) return `${name} has no picture. Choose one, or hide the element.`;
    if (motion !== null && encoding === null) return `Say how the motion of ${name} is stored in step Motion, or take its motion away.`;
  }
  return null;
}

/** Everything that the frame is made of, with what each part depends on. */
function jobOf(detail: ShotDetail, frame: number, solo: string | null): AssemblyJob {
  const { settings, passes, shot } = detail,
    { assembly } = settings;
  const below = solo === null ? passBelow(settings, passes) : null;
  const main = passes.find((p) => p.id === settings.elements[0].beauty);
  return {
    frame,
    size: { width: shot.width, height: shot.height, pixelAspect: main?.pixelAspect ?? 1 },
    plate: below && plateOf(detail, below, frame),
    elements: shownElements(detail, solo)
      .reverse()
      .map((element) => elementJob(detail, element, frame)),
    finish: { grade: assembly.grade, vignette: assembly.vignette, grain: assembly.grain },
  };
}

/** The plate's frame at a frame of the shot. */
export function plateNumber({ settings, passes, shot }: ShotDetail, plate: Pass, frame: number): number {
  const main = passes.find((p) => p.id === settings.elements[0].beauty);
  const shotFps = settings.fps ?? main?.fps ?? null;
  return shotFps === null || plate.fps === null ? frame : plateFrame(settings.assembly.conform, frame, shot.firstFrame, shotFps, plate.fps);
}

function plateOf(detail: ShotDetail, plate: Pass, frame: number): NonNullable<AssemblyJob['plate']> {
  const number = plateNumber(detail, plate, frame);
  return {
    key: `${plate.id}/${number}/${stampOf(plate.id)}`,
    fit: detail.settings.assembly.fit,
    load: async () => {
      const { header, planes } = await loadRaster(plate.id, number, 'picture');
      return { width: header.width, height: header.height, halves: planes[0] as Uint16Array, pixelAspect: plate.pixelAspect };
    },
  };
}

function elementJob(detail: ShotDetail, element: Element, frame: number): ElementJob {
  const { settings, passes } = detail,
    { place, name } = element;
  const gradeWhen = gradeWhenOf(settings, element),
    before = gradeWhen === 'before' ? place.grade : null;
  const { depth, depthEncoding, matte } = element,
    lens = lensOf(settings, element);
  const laid = {
    id: element.id,
    blend: place.shadow === null ? place.blend : place.shadow.way === 'multiply' ? ('multiply' as const) : ('over' as const),
    opacity: opacityAt(place, frame),
    grade: gradeWhen === 'after' ? place.grade : null,
    wantsGrain: !place.fromPlate && place.shadow === null,
  };
  const shutter = shutterOfElement(settings, element);
  const lights = blurredLights(settings, element, shutter).flatMap((light): LightJob[] => {
    const { id, name, place } = light.element,
      opacity = place.visible ? opacityAt(place, frame) : 0;
    return opacity === 0 ? [] : [{ id, name, opacity, from: movingJob(detail, light.element, light.shutter, frame, place.grade, lens) }];
  });
  if (element.motion === null || place.fromPlate) {
    const below = passBelow(settings, passes),
      number = below !== null && below.id === element.beauty ? plateNumber(detail, below, frame) : frame;
    const taken = lightsOf(settings, element).map((light) => light.beauty),
      stamps = [element.beauty, matte?.pass ?? null, depth, ...taken].map(stampOf);
    return {
      laid,
      name,
      lights,
      from: {
        kind: 'still',
        resultKey: JSON.stringify([
          element.beauty,
          taken,
          matte,
          depth,
          depthEncoding,
          place.edge,
          place.shadow,
          number,
          frame,
          stamps,
          before,
          lens,
        ]),
        load: async (quality) => {
          const [parts, cut, distances, encoding] = await Promise.all([
            loadParts(detail, element, number),
            loadMattePlanes(matte, frame),
            lens && depth ? loadRaster(depth, frame, 'planes') : null,
            lens ? depthEncodingOf(detail, element) : null,
          ]);
          const { width, height } = parts;
          return {
            ...shapeInputs(detail, element),
            ...parts,
            matte: cut,
            grade: before,
            lens,
            depth: distances && encoding && depthPlane(detail, element, distances, encoding, width, height),
            quality,
          };
        },
      },
    };
  }
  return { laid, name, lights, from: movingJob(detail, element, shutter, frame, before, lens) };
}

function lensOf(settings: ShotSettings, element: Element): Lens | null {
  const { place, depth } = blurredElement(settings, element);
  return place.defocus && depth !== null && place.shadow === null ? settings.assembly.lens : null;
}
