import { mixReach, shutterAt, UNTREATED, type BlurPlan, type Shutter, type ShutterPlan } from '@ivrex/core';
import type { Element, ElementId, ShotDetail } from '@ivrex/contract';
import { useEffect, useRef, useState } from 'react';
import { sentenceOf } from '../api/request';
import type { Area } from '../workers/areas';
import { BlurPreview, type PreviewPicture } from '../workers/blur-preview';
import { RENDER_THREADS, startBlurThread } from '../workers/blur-threads';
import type { PlanSlot } from '../workers/blur-work';
import { keepBlur, keptBlur } from './blur-cache';
import { loadAround, loadInputs, loadNeighbour, NOTHING_AROUND, type Around, type LoadedInputs } from './blur-inputs';
import { blurKey, blurredLights, fieldKey, planKey, wantedBy } from './blur-keys';
import { ElementBlur } from './element-blur';
import { movingJob } from './moving-job';
import { fitPlacement } from './placement';
import { isPlanLook, showPlan } from './plan-looks';
import { useView, type Look } from './view-store';

const SETTLE_MS = 180;
/** Larger pictures are dragged as a smaller one: about what a screen shows. */
const SCREEN_WIDTH = 1280,
  SCREEN_HEIGHT = 720;
/** From this zoom on the pixels of the smaller picture would be seen. */
const FULL_FROM_ZOOM = 0.75;

interface Plans {
  readonly key: string;
  readonly frame: number;
  readonly screen: BlurPlan | null;
  readonly full: BlurPlan | null;
  /** What the latest of them was made with besides its frame. */
  readonly around: Around;
}

/** Keeps the motion field and the blurred picture of the current frame up to date: a draft at once, the exact one at rest. */
export function useLiveBlur(detail: ShotDetail, shutterPlan: ShutterPlan): void {
  const preview = useRef<BlurPreview | null>(null);
  const lightBlurs = useRef(new Map<ElementId, ElementBlur>());
  const frame = useView((s) => s.frame),
    look = useView((s) => s.look),
    paths = useView((s) => s.paths),
    playing = useView((s) => s.playing),
    set = useView((s) => s.set);
  const [inputs, setInputs] = useState<{ key: string; loaded: LoadedInputs } | null>(null);
  const [plans, setPlans] = useState<Plans | null>(null);
  const newestPlans = useRef(plans);
  newestPlans.current = plans;
  const proposed = useView((s) => s.proposed);
  const { settings } = detail;
  const [kept] = settings.elements;
  const unrepaired = useView((s) => s.unrepaired);
  // While nothing is agreed, the proposed reading can be looked at.
  const element: Element = { ...kept, encoding: kept.encoding ?? proposed, repairs: unrepaired ? [] : kept.repairs };
  const shutter = shutterAt(shutterPlan, frame);
  const comparesBlur = useView((s) => s.look === 'compare' && (s.compare.a.kind === 'blurred' || s.compare.b.kind === 'blurred'));
  const showsBlur = look === 'blurred' || look === 'wipe' || look === 'frames' || comparesBlur;
  const wanted = wantedBy(settings, shutterPlan, frame),
    reach = mixReach(wanted, shutter);
  const field = fieldKey(detail, element, frame),
    plan = `${planKey(detail, element, frame)}/${reach}`,
    result = blurKey(detail, element, shutterPlan, frame);
  const isReady = element.beauty !== null && element.motion !== null && element.encoding !== null && frame !== 0;
  const isKept = isReady && keptBlur(result)?.picture.quality === 'final';
  // A picture that is there needs no plan, unless the plan itself is looked at.
  const wantsPlan = isPlanLook(look) || paths || (showsBlur && !(isKept || (playing && keptBlur(result) !== null)));

  useEffect(() => {
    const made = new BlurPreview(startBlurThread, RENDER_THREADS);
    preview.current = made;
    return () => {
      preview.current = null;
      made.close();
      for (const blur of lightBlurs.current.values()) blur.close();
      lightBlurs.current.clear();
    };
  }, []);

  // The frame's passes and its decoded motion, whatever the look.
  useEffect(() => {
    let current = true;
    if (!isReady) {
      set({ field: null, blurred: null, report: null, plan: null, problem: null, working: false });
      setInputs(null);
      return;
    }
    const work = async () => {
      const loaded = await loadInputs(detail, element, frame);
      const read = await preview.current?.decode(loaded);
      if (!current || read === undefined) return;
      set({ field: read.field, repaired: read.changed, problem: null });
      setInputs({ key: field, loaded });
    };
    work().catch(
      (error: unknown) =>
        current && set({ field: null, blurred: null, report: null, plan: null, problem: sentenceOf(error), working: false }),
    );
    return () => {
      current = false;
    };
    // `field` stands for everything that the decoded motion depends on.
  }, [field, isReady]);

  // The plan, made once a frame and reading: looking away and back does not make it again. A large picture gets a small one for the screen first.
  useEffect(() => {
    if (!wantsPlan || inputs === null || inputs.key !== field || plans?.key === plan) return;
    let current = true;
    preview.current?.forget();
    setPlans(null);
    set({ working: true, plan: null });
    const work = async () => {
      const { loaded } = inputs,
        asked = { ...loaded, path: settings.path, hidden: settings.hidden, reachFrames: reach };
      const factor = Math.ceil(Math.max(loaded.width / SCREEN_WIDTH, loaded.height / SCREEN_HEIGHT));
      let made: Plans = { key: plan, frame, screen: null, full: null, around: NOTHING_AROUND };
      const make = async (slot: PlanSlot, whole: Around): Promise<void> => {
        const { notes, ...around } = whole;
        const prepared = (await preview.current?.prepare(slot, { ...asked, ...around }, slot === 'screen' ? factor : 1)) ?? null;
        if (!current || prepared === null) return;
        const done = { ...prepared, report: { ...prepared.report, notes: [...notes, ...prepared.report.notes] } };
        made = { ...made, [slot]: done, around: whole };
        set({ report: done.report, plan: done, working: slot === 'screen' });
        setPlans(made);
      };
      // The small one does not wait for the frames around: much is to be loaded of a large picture.
      const around = loadAround(detail, element, frame, loaded);
      if (factor > 1) await make('screen', NOTHING_AROUND);
      if (current) await make('full', await around);
    };
    work().catch(
      (error: unknown) => current && set({ blurred: null, report: null, plan: null, problem: sentenceOf(error), working: false }),
    );
    return () => {
      current = false;
      set({ working: false });
    };
  }, [plan, field, inputs, wantsPlan]);

  // What is kept is shown at once.
  useEffect(() => {
    if (!showsBlur || !isReady) return;
    const found = keptBlur(result);
    const { blurred } = useView.getState();
    if (found !== null) set({ blurred: { ...found.picture, frame }, report: found.report });
    else if (blurred !== null) set({ blurred: { ...blurred, isOld: true } });
  }, [result, showsBlur, isReady]);

  useEffect(() => {
    if (plans === null || plans.key !== plan || !showsBlur || isKept) return;
    let current = true;
    const render = async (quality: 'draft' | 'final') => {
      const slot = slotFor(plans, quality, detail.shot);
      const source = slot === null ? null : plans[slot];
      if (slot === null || source === null) return;
      const treatment = { ...UNTREATED, limits: scaledLimits(shutterPlan, detail.shot.width / source.width) };
      // A draft is shown although the value went on meanwhile, as long as nothing newer is on the screen: it is nearer to it than what is.
      const isWanted = () =>
        current || (quality === 'draft' && newestPlans.current === plans && useView.getState().blurred?.isOld !== false);
      const show = (picture: PreviewPicture) => {
        if (isWanted()) set({ blurred: { ...picture, frame: plans.frame, isOld: !current } });
      };
      const lights = blurredLights(settings, element, shutterPlan);
      const visible = quality === 'final' ? visibleArea(detail.shot) : null;
      const around = [...plans.around.notes];
      if (quality === 'final') {
        for (const at of wanted.at)
          await preview.current?.prepareNeighbour(at, async () => {
            const there = await loadNeighbour(detail, element, plans.frame, at, plans.around);
            if (there === null) return null;
            const { notes, ...inputs } = there;
            around.push(...notes.map((note) => `Frame ${plans.frame + at}: ${note}`));
            return { ...inputs, path: settings.path, hidden: settings.hidden, reachFrames: reach };
          });
        if (!current) return;
      }
      const request = { slot, shutter, quality, samples: settings.samples, treatment, visible, mix: wanted };
      // Without its light passes a picture is not what it will be: all of it is shown, or nothing yet.
      const surface = await preview.current?.render(request, lights.length === 0 ? show : undefined);
      if (!surface || !preview.current || !(lights.length === 0 ? isWanted() : current)) return;
      const added = await lightPictures(lights, quality, source);
      if (added === null || !isWanted()) return;
      const said = [...source.report.warnings, ...source.report.notes, ...surface.report.warnings, ...surface.report.notes];
      // What a light pass says as its surface does is said once.
      around.push(...added.notes.flatMap(({ name, note }) => (said.includes(note) ? [] : [`${name}: ${note}`])));
      const picture = added.pictures.length === 0 ? surface : await preview.current.withLights(surface, added.pictures);
      show(picture);
      const report = { ...picture.report, notes: [...around, ...picture.report.notes] };
      if (current && quality === 'final') set({ report });
      // A small picture made for the screen is a passing one.
      if (slot === 'full') keepBlur(result, { picture, report });
    };
    /** Each light pass as large as its surface is; null when a newer request took the place of one. */
    const lightPictures = async (
      lights: ReturnType<typeof blurredLights>,
      quality: 'draft' | 'final',
      { width }: BlurPlan,
    ): Promise<{ pictures: PreviewPicture[]; notes: { name: string; note: string }[] } | null> => {
      for (const [id, blur] of lightBlurs.current) {
        if (lights.some((light) => light.element.id === id)) continue;
        blur.close();
        lightBlurs.current.delete(id);
      }
      const pictures: PreviewPicture[] = [],
        notes: { name: string; note: string }[] = [];
      for (const light of lights) {
        const { id, name } = light.element,
          blur = lightBlurs.current.get(id) ?? new ElementBlur();
        lightBlurs.current.set(id, blur);
        const job = movingJob(detail, light.element, light.shutter, plans.frame, null, null);
        const made = await blur.picture(job, quality, Math.round(job.width / width));
        if (made === null) return null;
        pictures.push(made.picture);
        notes.push(...made.notes.map((note) => ({ name, note })));
      }
      return { pictures, notes };
    };
    const failed = (error: unknown) => current && set({ problem: sentenceOf(error), working: false });
    const draft = keptBlur(result) === null ? render('draft').catch(failed) : Promise.resolve();
    // After the draft, however slow the machine: the exact picture would take its place.
    const rest = setTimeout(() => {
      void draft.then(() => (current && !useView.getState().playing ? render('final').catch(failed) : undefined));
    }, SETTLE_MS);
    return () => {
      current = false;
      clearTimeout(rest);
    };
  }, [plans, plan, result, showsBlur, isKept, playing]);

  const shown = plans?.key === plan ? (plans.full ?? plans.screen) : null;
  usePlanLook(preview.current, shown, look, shutter, shutterPlan, settings.samples);
}

/** The plan itself as a picture. */
function usePlanLook(
  preview: BlurPreview | null,
  plan: BlurPlan | null,
  look: Look,
  shutter: Shutter,
  limits: ShutterPlan,
  samples: 'auto' | number,
): void {
  // Only this look is made of the picture.
  const blurred = useView((s) => (look === 'frames' ? s.blurred : null)),
    shutterKey = JSON.stringify([shutter, limits.floorPx, limits.ceilingPx, samples]);
  useEffect(() => {
    if (!isPlanLook(look)) return;
    if (plan === null || preview === null) {
      useView.setState({ planLook: null });
      return;
    }
    let current = true;
    showPlan(look, plan, shutter, samples, preview, blurred).then(
      (planLook) => current && useView.setState({ planLook }),
      (error: unknown) => current && useView.setState({ planLook: null, problem: sentenceOf(error) }),
    );
    return () => {
      current = false;
    };
  }, [preview, plan, look, shutterKey, blurred]);
}

/** The plan to render from: while it moves, the small one unless its pixels would be seen. */
function slotFor(plans: Plans, quality: 'draft' | 'final', shot: ShotDetail['shot']): PlanSlot | null {
  if (quality === 'final') return plans.full === null ? null : 'full';
  if (plans.screen === null) return plans.full === null ? null : 'full';
  const { zoom } = placementNow(shot);
  return plans.full !== null && zoom >= FULL_FROM_ZOOM ? 'full' : 'screen';
}

function scaledLimits({ floorPx, ceilingPx }: ShutterPlan, factor: number) {
  return { floorPx: floorPx === null ? null : floorPx / factor, ceilingPx: ceilingPx === null ? null : ceilingPx / factor };
}

function placementNow(shot: ShotDetail['shot']) {
  const { placement } = useView.getState();
  const canvas = canvasNow();
  return placement ?? (canvas === null ? { zoom: 1, x: 0, y: 0 } : fitPlacement(canvas, shot));
}

function canvasNow(): HTMLCanvasElement | null {
  return document.querySelector<HTMLCanvasElement>('[data-testid="picture-canvas"]');
}

/** The part of the picture that is on the screen. */
function visibleArea(shot: ShotDetail['shot']): Area | null {
  const canvas = canvasNow();
  if (canvas === null) return null;
  const { zoom, x, y } = placementNow(shot);
  return { x0: -x / zoom, y0: -y / zoom, x1: (canvas.width - x) / zoom, y1: (canvas.height - y) / zoom };
}
