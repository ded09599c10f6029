import path from 'node:path';
import type { documentSequenceSchema } from '@ivrex/contract';
import { type DocumentPass, type PassId, type PictureChoice, type ShotDocument, type ShotSettings } from '@ivrex/contract';
import { IvrexError, type PictureReading } from '@ivrex/core';
import type { z } from 'zod';
import type { PassFile, PictureFile } from '../frames/pass-files';
import { fileOnDisk } from '../files/movie-path';
import { frameFile, type FilePattern } from '../sequences/sequence';

/** Where a pass's files are. `frames` are numbers of files, `offset` takes the shot's frames to them. */
export interface PassPlace {
  readonly part: number;
  readonly layer: string;
  readonly pattern: FilePattern;
  readonly frames: readonly number[];
  readonly offset: number;
}

/** The file of a pass at a frame of the shot. A lone file serves every frame. @throws IvrexError missingFrame */
export function passFileOf(place: PassPlace, frame: number): PassFile {
  const { pattern, frames, offset, part, layer } = place;
  const number = frame + offset,
    file = frameFile(pattern, number);
  if (isSequence(pattern) && !frames.includes(number)) {
    const shown = pattern.movieFrames === undefined ? file : fileOnDisk(file);
    throw new IvrexError('missingFrame', `frame ${frame} is missing${offset === 0 ? '' : ` (number ${number} of the files)`}`, shown);
  }
  return { file, part, layer };
}

/** A picture as it was chosen to be read; `alphaAt` finds the file of a borrowed alpha. */
export function pictureOf<T extends PictureFile | Promise<PictureFile>>(
  file: PassFile,
  choice: PictureChoice,
  withAlpha: (picture: PictureFile, pass: PassId) => T,
): PictureFile | T {
  if (choice.alpha.kind !== 'borrowed') return { ...file, reading: { curve: choice.curve, alpha: choice.alpha } };
  const reading: PictureReading = { curve: choice.curve, alpha: { kind: choice.alpha.premultiplied ? 'premultiplied' : 'straight' } };
  return withAlpha({ ...file, reading }, choice.alpha.pass);
}

function isSequence({ padding, movieFrames }: FilePattern): boolean {
  return padding !== null || movieFrames !== undefined;
}

export interface BookPass extends DocumentPass {
  /** What it counts as when nobody decided otherwise. */
  readonly guess: { readonly role: DocumentPass['role'] };
  /** In the shot's numbering; null for a lone file, which serves every frame. */
  readonly frames: readonly number[] | null;
}

/** A shot's passes and settings, looked up without a database. */
export class ShotBook {
  readonly settings: ShotSettings;
  readonly passes: readonly BookPass[];
  private readonly places = new Map<PassId, PassPlace>();

  constructor(readonly document: ShotDocument) {
    this.settings = document.settings;
    const sequences = new Map(document.sequences.map((s) => [s.id, s]));
    this.passes = document.passes.map((pass) => {
      const sequence = sequences.get(pass.sequence);
      if (sequence === undefined) throw new IvrexError('badSetting', `pass "${pass.name}" is of a sequence that is not listed`);
      const { frames } = sequence,
        pattern = patternOf(sequence),
        offset = this.settings.offsets[pass.sequence] ?? 0;
      this.places.set(pass.id, { part: pass.part, layer: pass.layer, pattern, frames, offset });
      return { ...pass, guess: { role: pass.role }, frames: isSequence(pattern) ? frames.map((f) => f - offset) : null };
    });
  }

  /** @throws IvrexError notFound */
  private placeOf(id: PassId): PassPlace {
    const place = this.places.get(id);
    if (place === undefined)
      throw new IvrexError('notFound', "there is no such pass; the shot's files may have changed, look again at its folder");
    return place;
  }

  pass(id: PassId | null): BookPass | null {
    return this.passes.find((p) => p.id === id) ?? null;
  }

  /** @throws IvrexError notFound, missingFrame */
  fileAt(id: PassId, frame: number): PassFile {
    return passFileOf(this.placeOf(id), frame);
  }

  /** A picture as the shot reads it. @throws IvrexError notFound, missingFrame */
  pictureAt(id: PassId, frame: number): PictureFile {
    const usual = this.pass(id)?.usual,
      choice = this.settings.readings[id] ?? usual ?? { curve: 'linear', alpha: { kind: 'premultiplied' } };
    return pictureOf(this.fileAt(id, frame), choice, (picture, pass) => ({ ...picture, alphaFrom: this.fileAt(pass, frame) }));
  }
}

function patternOf({ folder, before, padding, after, odd, movieFrames }: z.infer<typeof documentSequenceSchema>): FilePattern {
  return {
    folder,
    before,
    padding,
    after,
    ...(odd === undefined ? {} : { odd }),
    ...(movieFrames === undefined ? {} : { movieFrames }),
  };
}

/** One place by another name: "/mnt/show" on one machine may be "/volumes/show" on the next. */
export interface PathMapping {
  readonly from: string;
  readonly to: string;
}

/** The path as this machine knows it: the longest mapping that fits is taken. */
export function mappedPath(file: string, mappings: readonly PathMapping[]): string {
  const fits = mappings.filter(({ from }) => file === from || file.startsWith(from.endsWith('/') ? from : `${from}/`));
  const [best] = fits.sort((a, b) => b.from.length - a.from.length);
  return best === undefined ? file : path.join(best.to, file.slice(best.from.length));
}

/** The document with its folders as this machine knows them. */
export function mappedDocument(document: ShotDocument, mappings: readonly PathMapping[]): ShotDocument {
  if (mappings.length === 0) return document;
  return { ...document, sequences: document.sequences.map((s) => ({ ...s, folder: mappedPath(s.folder, mappings) })) };
}

/** Folders relative to a folder where they lie in it or beside it, so that both can be moved together. */
export function relativeDocument(document: ShotDocument, base: string): ShotDocument {
  return {
    ...document,
    sequences: document.sequences.map((s) => ({ ...s, folder: path.relative(base, s.folder).split(path.sep).join('/') || '.' })),
  };
}

/** The other way: relative folders are those of the document's own folder. */
export function absoluteDocument(document: ShotDocument, base: string): ShotDocument {
  return { ...document, sequences: document.sequences.map((s) => ({ ...s, folder: path.resolve(base, s.folder) })) };
}
