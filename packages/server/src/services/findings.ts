import { isDataRole, readingOf, roleOf, type Finding, type Fix, type Pass, type PictureChoice, type ShotSettings } from '@ivrex/contract';
import { BLURRED_SOFTER, BRIGHT_FRINGE, DARK_FRINGE, type AlphaMeasure, type BlurMeasure, type PassMeasure } from '@ivrex/core';
import type { AbsentPass } from '../db/queries/list-absent';
import type { MeasuredPass } from '../db/queries/list-passes';
import type { SequenceRow } from '../db/queries/list-sequences';

/** Everything that findings are worked out from: facts, and what was decided. */
export interface FindingFacts {
  readonly sequences: readonly SequenceRow[];
  readonly passes: readonly MeasuredPass[];
  /** Passes that were in the folder once. */
  readonly absent: readonly AbsentPass[];
  readonly unreadable: readonly { readonly name: string; readonly error: { readonly message: string } }[];
  readonly beautyBlur: BlurMeasure | null;
  readonly settings: ShotSettings;
}

type Place = Pick<Finding, 'frame' | 'sequenceId' | 'passId'>;
type Add = (severity: Finding['severity'], message: string, effect: string | null, place: Partial<Place>, fixes?: Finding['fixes']) => void;

/** Sentences about a shot's files, in the order in which they matter. */
export function findingsOf(facts: FindingFacts): Finding[] {
  const findings: Finding[] = [];
  const add: Add = (severity, message, effect, place, fixes = []) =>
    findings.push({ severity, message, effect, frame: null, sequenceId: null, passId: null, ...place, fixes });
  for (const { name, error } of facts.unreadable) add('error', `${name} is left out: ${error.message}.`, null, {});
  aboutAbsent(facts, add);
  const main = mainPass(facts);
  for (const sequence of facts.sequences) {
    aboutFiles(sequence, facts, add);
    if (main !== null && main.sequenceId !== sequence.id) aboutNumbers(sequence, main, facts, add);
  }
  aboutRates(facts, main, add);
  const sized = new Set<string>();
  for (const measured of facts.passes) {
    const { pass } = measured;
    // All layers of a part have one size: it is said once.
    if (main !== null && !sized.has(`${pass.sequenceId} ${pass.part}`)) aboutSize(pass, main, add);
    sized.add(`${pass.sequenceId} ${pass.part}`);
    aboutPixels(measured, facts.settings, add);
  }
  aboutRoles(facts, add);
  aboutBlur(facts, main, add);
  return findings;
}

/** What an element still uses is said until it is back or let go; the rest once. */
function aboutAbsent({ absent, unreadable, settings }: FindingFacts, add: Add): void {
  const left = new Set(unreadable.map(({ name }) => name));
  const users = ({ passId }: AbsentPass) =>
    settings.elements.filter((e) => [e.beauty, e.motion, e.depth, e.ids, e.matte?.pass].includes(passId)).map((e) => e.name);
  const files = new Map<string, AbsentPass[]>();
  for (const pass of absent) {
    const key = pass.hasFiles ? pass.passId : pass.file;
    files.set(key, [...(files.get(key) ?? []), pass]);
  }
  for (const passes of files.values()) {
    const [{ file, layer, hasFiles }] = passes,
      names = [...new Set(passes.flatMap(users))];
    if (names.length === 0 && (left.has(file) || !passes.some((p) => p.isNew))) continue;
    const what = !hasFiles
      ? left.has(file)
        ? `${file} can no longer be read`
        : `${file} is no longer in the folder`
      : `${layer === '' ? 'The channels without a layer name are' : `Layer ${layer} is`} no longer in ${file}`;
    if (names.length === 0) {
      add('info', `${what}.`, null, {});
      continue;
    }
    const dispensable = passes.filter(({ passId }) => settings.elements.some((e) => e.depth === passId || e.ids === passId));
    add(
      'error',
      `${what}, and ${names.join(', ')} ${names.length === 1 ? 'uses' : 'use'} it.`,
      'Frames that need it cannot be made. Render it again, or choose another pass; when it is back, all that was decided about it is back too.',
      {},
      dispensable.map(({ passId, layer: name }) => ({
        label: name === '' ? 'Do without it' : `Do without ${name}`,
        fix: { kind: 'doWithout', passId },
      })),
    );
  }
}

/** The beauty, whose files decide numbering, size and rate. */
function mainPass({ passes, settings }: FindingFacts): Pass | null {
  const beauty = settings.elements[0].beauty;
  return (
    (passes.find(({ pass }) => pass.id === beauty) ?? passes.find(({ pass }) => roleOf(settings, pass) === 'beauty') ?? passes[0])?.pass ??
    null
  );
}

function rolesOf(sequence: SequenceRow, { passes, settings }: FindingFacts) {
  return passes.filter(({ pass }) => pass.sequenceId === sequence.id).map(({ pass }) => roleOf(settings, pass));
}

function aboutFiles(sequence: SequenceRow, facts: FindingFacts, add: Add): void {
  const offset = facts.settings.offsets[sequence.id] ?? 0;
  const at = (frame: number | null): Partial<Place> => ({ sequenceId: sequence.id, frame: frame === null ? null : frame - offset });
  for (const { frame, error } of sequence.broken)
    add(
      'error',
      `${sequence.name}${frame === null ? '' : `, frame ${frame}`}: ${error.message}.`,
      frame === null ? null : 'This frame cannot be blurred; the others can.',
      at(frame),
    );
  const isReference = rolesOf(sequence, facts).every((role) => role === 'reference');
  if (sequence.missing.length > 0) {
    const one = sequence.missing.length === 1;
    add(
      isReference ? 'info' : 'warning',
      `${sequence.name}: ${one ? 'frame' : 'frames'} ${listFrames(sequence.missing)} ${one ? 'is' : 'are'} missing${isReference ? '; a reference may have single frames' : '; the others can be used'}.`,
      null,
      at(sequence.missing[0]),
    );
  }
  if (sequence.different.length > 0)
    add(
      'warning',
      `${sequence.name}: ${sequence.different.length === 1 ? 'frame' : 'frames'} ${listFrames(sequence.different)} ${sequence.different.length === 1 ? 'has' : 'have'} another size or other channels than the first frame.`,
      'They may come from another version of the render.',
      at(sequence.different[0]),
    );
  if (sequence.doubles.length > 0)
    add(
      'warning',
      `${sequence.name}: ${sequence.doubles.slice(0, 3).join(', ')} hold frames that other files hold too; they are not used.`,
      null,
      at(null),
    );
}

/** Ranges that have the same length and start elsewhere are the same frames under other numbers. */
function aboutNumbers(sequence: SequenceRow, main: Pass, facts: FindingFacts, add: Add): void {
  const roles = rolesOf(sequence, facts);
  if (roles.length === 0 || roles.every((role) => role === 'reference' || role === 'other')) return;
  if (main.frames === null || main.frames.length < 2 || sequence.frames.length < 2) return;
  const [first, last] = [main.frames[0] + main.offset, main.frames[main.frames.length - 1] + main.offset];
  const [from, to] = [sequence.frames[0], sequence.frames[sequence.frames.length - 1]];
  const offset = facts.settings.offsets[sequence.id] ?? 0;
  const mainOffset = main.offset;
  const relative = offset - mainOffset;
  const range = `${sequence.name} is numbered ${from} to ${to}, the beauty ${first} to ${last}`;
  if (from - first === to - last) {
    const by = from - first;
    if (by === relative) return;
    const count = Math.abs(by - relative);
    const fix: Fix = { kind: 'shiftFrames', sequenceId: sequence.id, offset: by + mainOffset };
    add(
      'warning',
      relative === 0
        ? `${range}: the same number of frames, ${count} ${count === 1 ? 'frame' : 'frames'} ${by > 0 ? 'later' : 'earlier'}.`
        : `${range}, and it is shifted by ${relative}: its ends do not meet the beauty's.`,
      roles.includes('motion')
        ? 'Every frame would be blurred with the motion of its neighbour: streaks of the wrong length, and at the ends none at all.'
        : 'The pass would lie beside the picture that it belongs to.',
      { sequenceId: sequence.id, frame: main.frames[0] },
      [{ label: by === 0 ? 'Take the numbers as they are' : `Shift it by ${by > 0 ? '-' : '+'}${Math.abs(by)}`, fix }],
    );
    return;
  }
  const uncovered = main.frames.filter((f) => f + mainOffset + relative < from || f + mainOffset + relative > to);
  if (uncovered.length > 0)
    add('warning', `${range}: it does not reach frames ${listFrames(uncovered)}.`, 'These frames cannot use it.', {
      sequenceId: sequence.id,
      frame: uncovered[0],
    });
}

const COMMON_RATES = [24, 25, 30];

function aboutRates({ sequences, settings }: FindingFacts, main: Pass | null, add: Add): void {
  if (settings.fps !== null) return;
  const rates = new Map<number, SequenceRow[]>();
  for (const s of sequences) if (s.fps !== null) rates.set(s.fps, [...(rates.get(s.fps) ?? []), s]);
  const setRate = (fps: number): Finding['fixes'][number] => ({
    label: `${Number(fps.toFixed(3))} a second`,
    fix: { kind: 'setRate', fps },
  });
  if (rates.size === 0)
    add(
      'info',
      'No file says its frame rate; it plays at 24.',
      'It matters for motion stored per second, and for the speed of playing.',
      {},
      COMMON_RATES.map(setRate),
    );
  else if (rates.size > 1)
    add(
      'warning',
      `The files disagree about the frame rate: ${[...rates].map(([fps, list]) => `${list.map((s) => s.name).join(', ')} say${list.length === 1 ? 's' : ''} ${Number(fps.toFixed(3))}`).join('; ')}.`,
      'Motion stored per second would have the wrong length.',
      { sequenceId: main?.sequenceId ?? null },
      [...rates.keys()].map(setRate),
    );
}

function aboutSize(pass: Pass, main: Pass, add: Add): void {
  if (pass.sequenceId === main.sequenceId && pass.part === main.part) return;
  const place = { sequenceId: pass.sequenceId, passId: pass.id };
  if (pass.width !== main.width || pass.height !== main.height)
    add(
      'warning',
      `${pass.file} is ${pass.width} x ${pass.height}, the beauty ${main.width} x ${main.height}; data is scaled to the beauty, vectors with it.`,
      Math.abs(pass.width / pass.height - main.width / main.height) > 0.01
        ? 'The shape differs too: it may belong to another framing.'
        : 'Edges of the scaled data are softer than those of the picture.',
      place,
    );
  if (Math.abs(pass.pixelAspect - main.pixelAspect) > 1e-4)
    add(
      'warning',
      `${pass.file} says a pixel aspect of ${pass.pixelAspect}, the beauty ${main.pixelAspect}.`,
      'One of them looks squeezed beside the other, and x motion may need scaling.',
      place,
    );
}

function aboutPixels({ pass, measures }: MeasuredPass, settings: ShotSettings, add: Add): void {
  const role = roleOf(settings, pass);
  const place = { sequenceId: pass.sequenceId, passId: pass.id };
  const channels = measures.flatMap((m) => m.channels);
  const bad = channels.filter((c) => c.nan + c.inf > 0);
  // Of depth it is nothing, and of ids no object.
  if (bad.length > 0 && role !== 'ids' && role !== 'depth') {
    const most = bad.reduce((a, b) => (b.nan + b.inf > a.nan + a.inf ? b : a));
    add(
      role === 'other' ? 'info' : 'warning',
      `${nameOf(pass)}: channel ${most.name} holds ${most.nan + most.inf} pixels that are ${most.nan > 0 ? 'not a number' : 'infinite'}, in the frames that were looked at.`,
      role === 'motion'
        ? 'These pixels have no motion; they stay sharp or take it from their surroundings.'
        : 'They count as black, infinity as the largest half: dark or bright specks that the blur drags along.',
      place,
    );
  }
  if (role === 'motion') aboutMotionValues(pass, measures, settings, add);
  if (!isDataRole(role)) aboutAlpha(pass, measures, settings, add);
}

function aboutMotionValues(pass: Pass, measures: readonly PassMeasure[], settings: ShotSettings, add: Add): void {
  const place = { sequenceId: pass.sequenceId, passId: pass.id };
  const [first] = measures[0]?.channels ?? [];
  const type = pass.channels[0]?.type;
  if (type === 'u8' || type === 'u16')
    add(
      type === 'u8' ? 'warning' : 'info',
      `${nameOf(pass)} is stored in whole numbers of ${type === 'u8' ? 8 : 16} bits (${pass.format}): everything beyond their range is clipped${type === 'u8' ? ', and the steps are coarse' : ''}.`,
      type === 'u8'
        ? 'With a range of 64 pixels a step is half a pixel: slow motion comes out in jumps. Ask for a float pass.'
        : 'Check the fastest frames; ask for a float pass when they are clipped.',
      place,
    );
  if (pass.format === 'JPEG')
    add(
      'error',
      `${nameOf(pass)} is a JPEG: its compression changes every vector.`,
      'Edges smear in wrong directions. Ask for EXR, or at least a 16-bit PNG or TIFF.',
      place,
    );
  // Once a reading that undoes the curve is agreed, there is nothing left to do.
  const undone = settings.elements.some((e) => e.motion === pass.id && e.encoding !== null && e.encoding.transfer.kind !== 'none');
  if (!undone && first !== undefined && Math.abs(first.rest - 0.7325) < 0.006 && first.restShare > 0.2)
    add(
      'warning',
      `${nameOf(pass)} rests at ${first.rest.toFixed(3)} instead of 0.5: a picture curve seems to have been applied to data.`,
      'Read as it is, everything drifts diagonally and lengths are wrong. Undo the curve in step Motion.',
      place,
    );
}

function aboutAlpha(pass: Pass, measures: readonly PassMeasure[], settings: ShotSettings, add: Add): void {
  const found = measures.map((m) => m.alpha).filter((a) => a !== null);
  if (found.length === 0) return;
  const alpha = found.reduce((a, b) => (b.partialShare > a.partialShare ? b : a));
  const reading = readingOf(settings, pass);
  const place = { sequenceId: pass.sequenceId, passId: pass.id };
  const read = (label: string, kind: PictureChoice['alpha']): Finding['fixes'] => [
    { label, fix: { kind: 'setReading', passId: pass.id, reading: { ...reading, alpha: kind } } },
  ];
  const percent = (share: number) => `${Math.max(1, Math.round(share * 100))} %`;
  const [r, g, b] = alpha.underColour;
  const kind = reading.alpha.kind;
  if (kind !== 'matted' && kind !== 'straight' && kind !== 'none' && alpha.underShare > 0.5 && alpha.underSpread < 0.03) {
    add(
      'warning',
      `${nameOf(pass)} holds one flat colour (${[r, g, b].map((v) => v.toFixed(2)).join(' ')}) under zero alpha: it looks matted on that colour.`,
      'Its edges keep a rim of that colour, which the blur drags out.',
      place,
      read('Read it as matted on this colour', { kind: 'matted', colour: [r, g, b] }),
    );
    return;
  }
  if (alpha.partialShare < 0.0003) return;
  if (kind === 'premultiplied' && alpha.aboveShare > 0.25)
    add(
      'warning',
      `${nameOf(pass)} is read as premultiplied, but ${percent(alpha.aboveShare)} of its partly covered pixels are brighter than their alpha allows: it looks straight.`,
      'Its soft edges glow, and the glow is blurred along.',
      place,
      read('Read it as straight', { kind: 'straight' }),
    );
  else if (kind === 'straight' && alpha.aboveShare < 0.04)
    add(
      'warning',
      `${nameOf(pass)} is read as straight, but its colour never exceeds its alpha: it looks premultiplied.`,
      'Its soft edges turn dark.',
      place,
      read('Read it as premultiplied', { kind: 'premultiplied' }),
    );
  else if (kind === 'premultiplied') aboutFringe(pass, alpha, settings, add);
  if (kind === 'premultiplied' && alpha.underShare > 0.02 && alpha.aboveShare <= 0.25)
    add(
      'info',
      `${nameOf(pass)}: ${percent(alpha.underShare)} of the pixels with zero alpha hold light.`,
      'That is right for glows and flames; otherwise the file is straight.',
      place,
    );
}

/** What takes most fringes away: they are about a pixel wide. */
const TRIM_PX = 0.75;

function aboutFringe(pass: Pass, { fringe }: AlphaMeasure, settings: ShotSettings, add: Add): void {
  if (fringe === undefined || fringe === null || (fringe.ratio >= DARK_FRINGE && fringe.ratio <= BRIGHT_FRINGE)) return;
  // An edge that was taken in already has no fringe left.
  const users = settings.elements.filter((e) => e.beauty === pass.id);
  if (users.length > 0 && users.every((e) => e.place.edge.trimPx > 0)) return;
  const isDark = fringe.ratio < DARK_FRINGE;
  add(
    'warning',
    `${nameOf(pass)} has a ${isDark ? 'dark' : 'bright'} fringe: partly covered pixels have ${Math.round(fringe.ratio * 100)} % of the light of what they border.`,
    `A ${isDark ? 'dark' : 'bright'} rim shows against the plate, and the blur drags it out.`,
    { sequenceId: pass.sequenceId, passId: pass.id },
    [{ label: `Take the edge in by ${TRIM_PX} px`, fix: { kind: 'trimEdge', passId: pass.id, trimPx: TRIM_PX } }],
  );
}

function aboutRoles({ passes, settings }: FindingFacts, add: Add): void {
  const having = (role: string) => passes.filter(({ pass }) => roleOf(settings, pass) === role).map(({ pass }) => pass);
  if (passes.length > 0 && having('beauty').length === 0)
    add('warning', 'No pass is taken for the beauty: choose which picture is to be blurred.', null, {});
  if (passes.length > 0 && having('motion').length === 0)
    add(
      'warning',
      'No pass is taken for motion: choose one, bring it in, or have it made in step Motion.',
      'Without motion nothing can be blurred.',
      {},
    );
  const beauties = having('beauty');
  const element = settings.elements[0];
  if (beauties.length > 1)
    add(
      'info',
      `${beauties.length} passes are taken for beauty; ${nameOf(beauties.find((p) => p.id === element.beauty) ?? beauties[0])} is used.`,
      null,
      {},
    );
}

function aboutBlur({ beautyBlur, settings, passes }: FindingFacts, main: Pass | null, add: Add): void {
  if (beautyBlur === null || main === null || beautyBlur.softer < BLURRED_SOFTER) return;
  if (!passes.some(({ pass }) => pass.id === settings.elements[0].beauty)) return;
  const fix: Fix = { kind: 'setRole', passId: main.id, role: 'reference' };
  add(
    'warning',
    `${nameOf(main)} seems to hold motion blur already: edges that its motion crosses are ${beautyBlur.softer.toFixed(1)} times softer than the others.`,
    'Blurred again it comes out too soft and too long. Render it without motion blur.',
    { passId: main.id, sequenceId: main.sequenceId },
    [{ label: 'It is a reference', fix }],
  );
}

function nameOf(pass: Pass): string {
  return pass.layer === '' ? pass.file : `${pass.file}, layer ${pass.layer}`;
}

/** "1003, 1007 to 1010". */
export function listFrames(frames: readonly number[]): string {
  const runs: string[] = [];
  for (let i = 0; i < frames.length;) {
    let j = i;
    while (j + 1 < frames.length && frames[j + 1] === frames[j] + 1) j++;
    runs.push(j === i ? `${frames[i]}` : `${frames[i]} to ${frames[j]}`);
    i = j + 1;
  }
  return runs.length > 8 ? `${runs.slice(0, 8).join(', ')} and more` : runs.join(', ');
}
