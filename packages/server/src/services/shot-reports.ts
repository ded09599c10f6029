import {
  roleOf,
  shutterOfElement,
  type ElementId,
  type MatchReport,
  type Pass,
  type ShotDetail,
  type ShotId,
  type ShotReport,
} from '@ivrex/contract';
import { describeBlur, describeShutter, orNull, type PlacedComparison, type Shutter } from '@ivrex/core';
import { blurFrame } from '@ivrex/media';
import { costOf, type Matches } from './matches';
import type { MotionAudits } from './motion-audits';
import { readMotionPass } from './motion-readings';
import type { Resources } from './resources';
import { measuredBook } from './measured-depth';
import { shotDetail } from './shots';

export interface ReportServices extends Pick<Resources, 'database' | 'pool' | 'now' | 'depths'> {
  readonly matches: Matches;
  readonly audits: Pick<MotionAudits, 'look'>;
}

/**
 * All that is known of a shot, for hand-over. `frame` is shown blurred, and with it the frames that the last match was made from.
 * @throws IvrexError notFound, badSetting when there is no blur yet, missingFrame
 */
export async function shotReport(
  services: ReportServices,
  shotId: ShotId,
  frame: number,
  focus: ElementId | null = null,
): Promise<ShotReport> {
  const { matches } = services;
  const match = await matches.newest(shotId);
  const shown = [...new Set([frame, ...(match?.match.frames.slice(0, MOST_MATCHED).map((f) => f.frame) ?? [])])].sort((a, b) => a - b);
  return reportOf(services, await shotDetail(services.database, shotId, focus), shown, match);
}

/** The same of any state of the shot, with pictures of these frames. */
export async function reportOf(
  services: ReportServices,
  detail: ShotDetail,
  shown: readonly number[],
  match: MatchReport | null,
): Promise<ShotReport> {
  const { audits, now } = services;
  const { shot, settings, passes, findings, state } = detail;
  const [element] = settings.elements,
    shotId = shot.id,
    focus = element.id;
  const shutter = shutterOfElement(settings, element);
  const { name, folder, firstFrame, lastFrame, fps, width, height } = shot;
  const frames = [];
  for (const at of shown) frames.push(await frameOf(services, detail, at));
  return {
    ivrexReport: 1,
    shot: { name, folder, firstFrame, lastFrame, fps, width, height },
    madeAt: now().toISOString(),
    state: state.label,
    passes: passes.map((p) => ({
      name: p.name,
      file: p.file,
      role: roleOf(settings, p),
      frames: p.frames === null ? 'a lone file' : `${p.frames[0]} to ${p.frames[p.frames.length - 1]}, ${p.frames.length} of them`,
      channels: p.channels.map((c) => `${c.name} ${c.type}`),
      compression: p.compression,
    })),
    findings: findings.map((f) => f.message),
    encoding: element.encoding,
    // Evidence that can't be had is left out: the encoding stands as it was agreed.
    reading: await orNull(() => readMotionPass(services, shotId, { frame: null, thorough: false }, [], focus)),
    repairs: element.repairs,
    audit: (await orNull(() => audits.look(shotId, focus)))?.frames ?? [],
    shutter: { words: describeShutter(shutter), plan: shutter },
    path: settings.path,
    match,
    matchedTo: passes.find((p) => p.id === match?.reference)?.name ?? null,
    frames,
    cost: costOf(detail),
  };
}

const MOST_MATCHED = 2;

async function frameOf(services: ReportServices, detail: ShotDetail, frame: number): Promise<ShotReport['frames'][number]> {
  const { pool, matches } = services,
    { settings, shot } = detail;
  const book = await measuredBook(services, shot.id, settings);
  const reference = referenceAt(detail, frame),
    blurred = blurFrame(book, frame),
    { rgba, width, height, report, mostSlices, prepared, sharp } = await pool.blur(blurred);
  const made = await pool.run<'reportFrame'>({
    kind: 'reportFrame',
    request: {
      width,
      height,
      rgba,
      sharp,
      reference: reference && book.pictureAt(reference.id, frame),
      // A table is the page's; a report shows the plain curve.
      transform: typeof settings.displayTransform === 'string' ? settings.displayTransform : 'srgb',
    },
  });
  return {
    frame,
    reference: reference?.name ?? null,
    figures: finite(made.figures),
    before: finite(made.before),
    made: describeBlur(report, rounded(blurred.settings.shutter), blurred.limits ?? null, mostSlices),
    trust: (await matches.trustOf(detail, frame)).verdict,
    pictures: made.pictures.map(({ title, png }) => ({ title, base64: Buffer.from(png).toString('base64') })),
    warnings: [...prepared.warnings, ...made.warnings, ...report.warnings, ...report.notes],
  };
}

/** The reference that has this frame; the one that was matched last comes first. */
function referenceAt({ passes, settings }: ShotDetail, frame: number): Pass | null {
  return passes.find((p) => roleOf(settings, p) === 'reference' && (p.frames === null || p.frames.includes(frame))) ?? null;
}

/** For reading: the exact numbers are in the shutter itself. */
function rounded(shutter: Shutter): Shutter {
  const near = (v: number) => Number(v.toFixed(4));
  return { ...shutter, opens: near(shutter.opens), closes: near(shutter.closes), strength: near(shutter.strength) };
}

/** JSON has no infinity: equal pictures have no number of decibels. */
function finite(figures: PlacedComparison | null): ShotReport['frames'][number]['figures'] {
  if (figures === null) return null;
  const orNone = (v: number | null) => (v !== null && Number.isFinite(v) ? v : null);
  const { ssim, maxAbs, meanAbs, maxAt } = figures;
  return { psnr: orNone(figures.psnr), maskedPsnr: orNone(figures.maskedPsnr), ssim, maxAbs, meanAbs, maxAt };
}
