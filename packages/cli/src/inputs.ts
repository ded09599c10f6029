import { readFile } from 'node:fs/promises';
import { IvrexError, type DepthEncoding, type Encoding, type RepairStep, type ShutterPlan } from '@ivrex/core';
import { depthEncodingSchema, encodingSchema, parseDocument, repairListSchema, shutterPlanSchema } from '@ivrex/contract';
import {
  aboutFile,
  chooseLayer,
  frameFile,
  loadHeader,
  parsePattern,
  scanSequence,
  type LayerChoice,
  type PassFile,
  type Sequence,
} from '@ivrex/media';
import type { FrameRange } from './frame-range';
import { warn } from './output';

/** @throws IvrexError damaged, badSetting, missingFile */
export async function loadEncoding(file: string): Promise<Encoding> {
  return parseDocument(await textOf(file), encodingSchema, 'encoding', file);
}

/** Null for "auto": it is measured. @throws IvrexError damaged, badSetting, missingFile */
export async function loadDepthEncoding(file: string): Promise<DepthEncoding | null> {
  return file === 'auto' ? null : parseDocument(await textOf(file), depthEncodingSchema, 'depth encoding', file);
}

/** @throws IvrexError damaged, badSetting, missingFile */
export async function loadRepairs(file: string | undefined): Promise<RepairStep[]> {
  return file === undefined ? [] : parseDocument(await textOf(file), repairListSchema, 'list of repairs', file);
}

/** @throws IvrexError damaged, badSetting, missingFile */
export async function loadShutter(file: string): Promise<ShutterPlan> {
  return parseDocument(await textOf(file), shutterPlanSchema, 'shutter', file);
}

function textOf(file: string): Promise<string> {
  return aboutFile(file, () => readFile(file, 'utf8'));
}

/** One input: its files, and the layer, found in the first header. */
export interface Input {
  readonly sequence: Sequence;
  readonly choice: LayerChoice;
}

export async function openInput(text: string): Promise<Input> {
  const { pattern, layer } = parsePattern(text);
  const sequence = await scanSequence(pattern);
  const file = frameFile(pattern, sequence.frames[0] ?? null);
  const header = await loadHeader(file);
  return { sequence, choice: await aboutFile(file, async () => chooseLayer(header, layer)) };
}

export function passAt(input: Input, frame: number | null): PassFile {
  return { file: frameFile(input.sequence.pattern, frame), ...input.choice };
}

/** A sequence's frames in the asked range, in order. A gap is said, not guessed. */
export function framesToRender(sequence: Sequence, range: FrameRange | undefined, name: string): (number | null)[] {
  if (sequence.frames.length === 0) return [null];
  const frames = sequence.frames.filter((f) => range === undefined || (f >= range.first && f <= range.last));
  if (frames.length === 0) throw new IvrexError('missingFrame', `no frame from ${range?.first} to ${range?.last} exists`, name);
  const missing = sequence.missing.filter((f) => range === undefined || (f >= range.first && f <= range.last));
  if (missing.length > 0) warn(`${name}: frames ${missing.join(' ')} are missing and are left out`);
  return frames;
}
