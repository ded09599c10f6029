import { IvrexError } from '../../errors';
import { absentValues, isAbsent, type StoredMotion } from '../encoding/decode';
import type { Encoding } from '../encoding/encoding';
import { transferPair } from '../../colour/transfer';

/**
 * How surfaces move in the scene, scene units per frame. `world`: along the scene's axes. `camera`: seen from the camera, whose own motion
 * is part of it; x right, y up, z into the picture.
 */
export interface SceneVelocity {
  readonly space: 'world' | 'camera';
  readonly x: Float32Array;
  readonly y: Float32Array;
  readonly z: Float32Array;
  readonly valid: Uint8Array;
}

/**
 * Decodes a velocity pass of space `camera` or `world`: as an encoding decodes one set, with `equals` in scene units whatever `unit`
 * says, and a third channel `z`. `axes` turn camera space only. @throws IvrexError badEncoding, missingChannel, needsFrameRate
 */
export function decodeSceneVelocity(stored: StoredMotion, encoding: Encoding): SceneVelocity {
  const { space, sets, zero, fullScale, axes } = encoding,
    absent = absentValues(encoding.noData);
  if (space === 'screen')
    throw new IvrexError('badEncoding', 'the encoding says screen motion, which needs no camera: it is read as it is');
  const [{ x, y, z, length, covers }] = sets;
  if (z === undefined || z === null || length !== null || sets.length > 1)
    throw new IvrexError('badEncoding', `velocity of space "${space}" is read from one set with channels x, y and z; name all three`);
  if (covers.unit === 'seconds' && stored.fps === null)
    throw new IvrexError('needsFrameRate', 'the encoding counts in seconds; give the frame rate');
  const frames = (covers.to - covers.from) * (covers.unit === 'seconds' ? (stored.fps ?? 1) : 1);
  const { undo } = transferPair(encoding.transfer);
  const scale = fullScale.equals / (fullScale.stored - zero) / frames;
  const signs =
    space === 'world' ? [1, 1, 1] : [axes.x === 'left' ? -1 : 1, axes.y === 'down' ? -1 : 1, (axes.z ?? 'away') === 'towards' ? -1 : 1];
  const coverage = coverageOf(stored, encoding);
  const planes = [x, y, z].map((name) => planeOf(stored, name));
  const count = planes[0].length;
  const out = planes.map(() => new Float32Array(count)),
    valid = new Uint8Array(count);
  for (let i = 0; i < count; i++) {
    const a = coverage === null ? 1 : coverage[i];
    if (!(a > 0) || planes.every((p) => isAbsent(p[i], absent))) continue;
    const v = planes.map((p, k) => signs[k] * (undo(p[i] / a) - zero) * scale);
    if (!v.every(Number.isFinite)) continue;
    v.forEach((value, k) => (out[k][i] = value));
    valid[i] = 1;
  }
  return { space, x: out[0], y: out[1], z: out[2], valid };
}

function coverageOf(stored: StoredMotion, { premultiplied, alpha }: Encoding): Float32Array | null {
  if (!premultiplied) return null;
  const own = alpha === null ? stored.beautyAlpha : planeOf(stored, alpha);
  if (own === null) throw new IvrexError('missingChannel', 'the encoding says premultiplied, but there is no alpha to divide by');
  return own;
}

function planeOf({ planes }: StoredMotion, name: string): Float32Array {
  const plane = planes.get(name) ?? planes.get(name.slice(name.lastIndexOf('.') + 1));
  if (plane === undefined)
    throw new IvrexError('missingChannel', `the velocity pass has no channel "${name}"; it has ${[...planes.keys()].join(', ')}`);
  return plane;
}
