import path from 'node:path';
import {
  cameraFromMatrices,
  cameraFromPose,
  IvrexError,
  orNull,
  type Attribute,
  type Camera,
  type CameraPose,
  type CameraTrack,
  type PictureSize,
} from '@ivrex/core';
import {
  cameraCsvRowSchema,
  cameraDocumentSchema,
  explainIssue,
  parseDocument,
  type CameraDocument,
  type CameraPoseRow,
} from '@ivrex/contract';
import Papa from 'papaparse';
import type { CameraContext } from './camera-context';
import { readGltfCamera } from './gltf-camera';
import { loadHeader } from '../formats/image-file';

/**
 * A camera track from a file's bytes: our JSON, CSV with a heading line, or glTF 2.0 (.gltf with everything in it, or .glb).
 * @throws IvrexError unsupported, damaged, badSetting, needsFrameRate
 */
export async function readCameraFile(name: string, bytes: Uint8Array, context: CameraContext): Promise<CameraTrack> {
  const title = path.basename(name);
  switch (path.extname(name).toLowerCase()) {
    case '.json':
      return {
        name: title,
        frames: fromDocument(parseDocument(new TextDecoder().decode(bytes), cameraDocumentSchema, 'camera track', title), context),
      };
    case '.csv':
      return { name: title, frames: fromDocument(parseCsv(bytes, title), context) };
    case '.gltf':
    case '.glb':
      return readGltfCamera(title, bytes, context);
    default:
      throw new IvrexError('unsupported', 'a camera is read from .json, .csv, .gltf or .glb', title);
  }
}

function parseCsv(bytes: Uint8Array, file: string): CameraDocument {
  const { data, errors } = Papa.parse<Record<string, unknown>>(new TextDecoder().decode(bytes).trim(), {
    header: true,
    dynamicTyping: true,
    skipEmptyLines: true,
    transformHeader: (h) => h.trim(),
  });
  // A lone column has no delimiter to be found; the row check says what is missing.
  const broken = errors.find((e) => e.type !== 'Delimiter');
  if (broken !== undefined) throw new IvrexError('damaged', `line ${(broken.row ?? 0) + 2}: ${broken.message}`, file);
  const frames = data.map((row, i): CameraPoseRow => {
    const parsed = cameraCsvRowSchema.safeParse(row);
    if (!parsed.success) throw new IvrexError('badSetting', `line ${i + 2}: ${explainIssue(parsed.error)}`, file);
    return parsed.data;
  });
  if (frames.length === 0)
    throw new IvrexError('badSetting', 'there is no camera in this file; it needs a heading line and one line a frame', file);
  return { ivrexCamera: 1, name: '', frames };
}

function fromDocument({ frames }: CameraDocument, size: PictureSize): Map<number, Camera> {
  return new Map(
    frames.map((f) => [
      f.frame,
      'worldToNDC' in f ? cameraFromMatrices(f.worldToNDC, f.worldToCamera ?? null, size) : cameraFromPose(poseOf(f), size),
    ]),
  );
}

function poseOf(row: CameraPoseRow): CameraPose {
  const halfWidth =
    row.horizontalView !== undefined ? Math.tan((row.horizontalView * Math.PI) / 360) : (row.filmWidth ?? 0) / 2 / (row.focalLength ?? 1);
  return {
    position: row.position,
    rotation: row.quaternion ?? quaternionOf(row.rotation ?? [0, 0, 0], row.order),
    halfWidth,
    halfHeight: null,
    shift: row.shift,
  };
}

type Quaternion = readonly [x: number, y: number, z: number, w: number];

/** Degrees about fixed axes, in the order given. */
function quaternionOf(degrees: readonly number[], order: string): Quaternion {
  let q: Quaternion = [0, 0, 0, 1];
  for (const letter of order) {
    const k = 'xyz'.indexOf(letter),
      half = (degrees[k] * Math.PI) / 360,
      turn = [0, 0, 0, Math.cos(half)];
    turn[k] = Math.sin(half);
    q = multiplied([turn[0], turn[1], turn[2], turn[3]], q);
  }
  return q;
}

/** First b, then a. */
function multiplied([ax, ay, az, aw]: Quaternion, [bx, by, bz, bw]: Quaternion): Quaternion {
  return [
    aw * bx + ax * bw + ay * bz - az * by,
    aw * by - ax * bz + ay * bw + az * bx,
    aw * bz + ax * by - ay * bx + az * bw,
    aw * bw - ax * bx - ay * by - az * bz,
  ];
}

/** The camera that a file's header holds; null when it holds none. @throws IvrexError badSetting */
function cameraOfHeader(attributes: ReadonlyMap<string, Attribute>, size: Pick<PictureSize, 'width' | 'height'>): Camera | null {
  const matrix = (name: string) => {
    const attribute = attributes.get(name);
    return attribute?.type === 'm44f' ? (attribute.value as readonly number[]) : null;
  };
  const toNdc = matrix('worldToNDC');
  return toNdc === null ? null : cameraFromMatrices(toNdc, matrix('worldToCamera'), size);
}

/**
 * The cameras in the headers of a sequence; null when not one header holds one. A file that can't be read is left out: it is named where
 * its pixels are read, and the camera is carried on over it.
 */
export async function cameraTrackOfHeaders(
  name: string,
  files: Iterable<{ readonly frame: number; readonly file: string }>,
  size: Pick<PictureSize, 'width' | 'height'>,
): Promise<CameraTrack | null> {
  const frames = new Map<number, Camera>();
  for (const { frame, file } of files) {
    const header = await orNull(() => loadHeader(file));
    const camera = header === null ? null : cameraOfHeader(header.parts[0].attributes, size);
    if (camera !== null) frames.set(frame, camera);
  }
  return frames.size === 0 ? null : { name, frames };
}
