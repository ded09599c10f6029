import type { CameraTrackRow, MadeSource, ShotDetail, ShotId } from '@ivrex/contract';
import { IvrexError, type CameraTrack } from '@ivrex/core';
import { cameraTrackOfHeaders, readCameraFile } from '@ivrex/media';
import { findCameraTrack } from '../db/queries/find-camera-track';
import { insertCameraTrack } from '../db/queries/insert-camera-track';
import { listCameraTracks } from '../db/queries/list-camera-tracks';
import { passFileAt } from './frames';
import type { Resources } from './resources';
import { shotDetail } from './shots';

type CameraChoice = (MadeSource & { kind: 'camera' })['camera'];

/** Reads a camera file and keeps it for the shot. @throws IvrexError as `readCameraFile` */
export async function addCameraTrack(
  { database }: Pick<Resources, 'database'>,
  shotId: ShotId,
  name: string,
  bytes: Uint8Array,
): Promise<CameraTrackRow[]> {
  const { shot, settings, passes } = await shotDetail(database, shotId);
  const beauty = passes.find((p) => p.id === settings.elements[0].beauty);
  const track = await readCameraFile(name, bytes, {
    width: shot.width,
    height: shot.height,
    pixelAspect: beauty?.pixelAspect ?? 1,
    fps: settings.fps ?? shot.fps,
    startFrame: shot.firstFrame,
  });
  await insertCameraTrack(database, shotId, track);
  return listCameraTracks(database, shotId);
}

/** Every camera that is known of the choice. @throws IvrexError notFound, missingFrame */
export async function cameraTrackOf(
  { database }: Pick<Resources, 'database'>,
  detail: ShotDetail,
  choice: CameraChoice,
): Promise<CameraTrack> {
  if (choice.from === 'track') {
    const track = await findCameraTrack(database, detail.shot.id, choice.track);
    if (track === null) throw new IvrexError('notFound', 'this camera track is no longer there; choose it again');
    return track;
  }
  const pass = detail.passes.find((p) => p.id === choice.pass);
  if (pass === undefined) throw new IvrexError('notFound', 'the pass whose headers hold the camera is no longer there');
  const files = await Promise.all(
    (pass.frames ?? [detail.shot.firstFrame]).map(async (frame) => ({
      frame,
      file: (await passFileAt(database, pass.id, frame, detail.settings)).file,
    })),
  );
  const track = await cameraTrackOfHeaders(pass.file, files, detail.shot);
  if (track === null) throw new IvrexError('missingFrame', `no header of ${pass.file} holds worldToNDC; give a camera file instead`);
  return track;
}
