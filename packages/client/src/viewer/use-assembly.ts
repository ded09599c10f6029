import { opacityAt, passBelow, shutterOfElement, stackOf, type Element, type Pass, type ShotDetail } from '@ivrex/contract';
import { plateFrame, shutterAt } from '@ivrex/core';
import { useEffect, useRef } from 'react';
import { loadRaster, stampOf } from '../api/raster-cache';
import { sentenceOf } from '../api/request';
import { AssemblyPreview, type AssemblyJob, type ElementJob } from './assembly-preview';
import { depthEncodingOf } from '../api/depth';
import { depthPlane, loadAround, loadInputs, loadNeighbour, loadMattePlanes, shapeInputs } from './blur-inputs';
import { blurKey, planKey, wantedBy } from './blur-keys';
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
  return solo === null ? stack.filter((e) => e.place.visible) : stack.filter((e) => e.id === solo);
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
    { place, name, depth } = element;
  const pass = passes.find((p) => p.id === element.beauty);
  const before = place.gradeWhen === 'before' ? place.grade : null;
  const lens = place.defocus && depth !== null && place.shadow === null ? settings.assembly.lens : null;
  const laid = {
    id: element.id,
    blend: place.shadow === null ? place.blend : place.shadow.way === 'multiply' ? ('multiply' as const) : ('over' as const),
    opacity: opacityAt(place, frame),
    grade: place.gradeWhen === 'after' ? place.grade : null,
    wantsGrain: !place.fromPlate && place.shadow === null,
  };
  const shutter = shutterOfElement(settings, element);
  const treated = JSON.stringify([before, lens]);
  if (element.motion === null || place.fromPlate) {
    const below = passBelow(settings, passes),
      number = below !== null && below.id === element.beauty ? plateNumber(detail, below, frame) : frame;
    const stamps = [element.beauty, element.matte?.pass ?? null, depth].map(stampOf);
    return {
      laid,
      name,
      from: {
        kind: 'still',
        resultKey: JSON.stringify([
          element.beauty,
          element.matte,
          depth,
          element.depthEncoding,
          place.edge,
          place.shadow,
          number,
          frame,
          stamps,
          treated,
        ]),
        load: async (quality) => {
          if (element.beauty === null) throw new TypeError('the element is not complete');
          const [picture, matte, distances, depthEncoding] = await Promise.all([
            loadRaster(element.beauty, number, 'picture'),
            loadMattePlanes(element.matte, frame),
            lens && depth ? loadRaster(depth, frame, 'planes') : null,
            lens ? depthEncodingOf(detail, element) : null,
          ]);
          const { width, height } = picture.header;
          return {
            ...shapeInputs(detail, element),
            picture: { width, height, halves: picture.planes[0] as Uint16Array },
            matte,
            grade: before,
            lens,
            depth: distances && depthEncoding && depthPlane(detail, element, distances, depthEncoding, width, height),
            quality,
          };
        },
      },
    };
  }
  return {
    laid,
    name,
    from: {
      kind: 'moving',
      planKey: planKey(detail, element, frame),
      resultKey: `${blurKey(detail, element, shutter, frame)}/${treated}`,
      width: pass?.width ?? detail.shot.width,
      height: pass?.height ?? detail.shot.height,
      shutter: shutterAt(shutter, frame),
      samples: settings.samples,
      wanted: wantedBy(settings, shutter, frame),
      treatment: { limits: { floorPx: shutter.floorPx, ceilingPx: shutter.ceilingPx }, grade: before, lens },
      load: async () => {
        const now = await loadInputs(detail, element, frame);
        const { notes, ...around } = await loadAround(detail, element, frame, now);
        return { inputs: { ...now, ...around, path: settings.path, hidden: settings.hidden }, notes };
      },
      loadNeighbour: async (at) => {
        const now = await loadInputs(detail, element, frame),
          there = await loadNeighbour(detail, element, frame, at, await loadAround(detail, element, frame, now));
        if (there === null) return null;
        const { notes, ...inputs } = there;
        return { inputs: { ...inputs, path: settings.path, hidden: settings.hidden }, notes };
      },
    },
  };
}
